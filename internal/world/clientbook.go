package world

import (
	"encoding/json"
	"fmt"
	"net/http"
	"strings"
	"sync"
	"sync/atomic"
)

// A Person is a record of the client book.
type Person struct {
	ID     string `json:"id,omitempty"`
	Name   string `json:"name"`
	Email  string `json:"email"`
	Phone  string `json:"phone"`
	Island string `json:"island,omitempty"`
	Note   string `json:"note,omitempty"`
}

// A ClientBook is a CRM: people that are found by e-mail address, created and
// changed over HTTP. A request with an Idempotency-Key that it has answered
// before changes nothing.
type ClientBook struct {
	Trouble Trouble
	Guard   atomic.Pointer[ConsentDesk] // lets in only who has its consent; nil: everybody

	mu     sync.Mutex
	people []Person
	done   map[string]string // ids of records, by the key under which they were written
}

func newClientBook() *ClientBook {
	return &ClientBook{
		people: []Person{
			{ID: "1", Name: "Ines Ravn", Email: "ines@example.net", Phone: "+447700900321", Note: "season ticket"},
			{ID: "2", Name: "", Email: "tomas@example.net", Phone: "+447700900555", Note: "freight customer"},
		},
		done: map[string]string{},
	}
}

// People returns everybody in the book.
func (b *ClientBook) People() []Person {
	b.mu.Lock()
	defer b.mu.Unlock()
	return append([]Person{}, b.people...)
}

// ServeHTTP serves GET /people?email=&phone=, GET /people/ID, POST /people and PATCH
// /people/ID.
func (b *ClientBook) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	if b.Trouble.strikes(w, r) {
		return
	}
	if desk := b.Guard.Load(); desk != nil && !desk.Lets(strings.TrimPrefix(r.Header.Get("Authorization"), "Bearer "), "clients") {
		http.Error(w, "nobody has let you in", http.StatusUnauthorized)
		return
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	id, one := strings.CutPrefix(r.URL.Path, "/people/")
	key := r.Header.Get("Idempotency-Key")
	if written, again := b.done[key]; again && key != "" && r.Method != http.MethodGet {
		writeJSON(w, http.StatusOK, b.person(written))
		return
	}
	switch {
	case r.Method == http.MethodGet && one && b.person(id) != nil:
		writeJSON(w, http.StatusOK, b.person(id))
	case r.Method == http.MethodGet && r.URL.Path == "/people":
		found := []Person{}
		for _, p := range b.people {
			email, phone := r.FormValue("email"), r.FormValue("phone")
			if (email == "" || strings.EqualFold(p.Email, email)) && (phone == "" || p.Phone == phone) {
				found = append(found, p)
			}
		}
		writeJSON(w, http.StatusOK, map[string]any{"items": found})
	case r.Method == http.MethodPost && r.URL.Path == "/people":
		var p Person
		if !decode(w, r, &p) {
			return
		}
		p.ID = fmt.Sprint(len(b.people) + 1)
		b.people, b.done[key] = append(b.people, p), p.ID
		writeJSON(w, http.StatusCreated, p)
	case r.Method == http.MethodPatch && one && b.person(id) != nil:
		p := b.person(id)
		if !decode(w, r, p) {
			return
		}
		p.ID, b.done[key] = id, id
		writeJSON(w, http.StatusOK, p)
	default:
		http.NotFound(w, r)
	}
}

// person returns the record of an id, nil if there is none.
func (b *ClientBook) person(id string) *Person {
	for i := range b.people {
		if b.people[i].ID == id {
			return &b.people[i]
		}
	}
	return nil
}

func decode(w http.ResponseWriter, r *http.Request, into any) bool {
	if err := json.NewDecoder(http.MaxBytesReader(w, r.Body, 64<<10)).Decode(into); err != nil {
		http.Error(w, err.Error(), http.StatusBadRequest)
		return false
	}
	return true
}

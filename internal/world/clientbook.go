package world

import (
	"encoding/json"
	"fmt"
	"net/http"
	"strings"
	"sync"
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

	mu     sync.Mutex
	people []Person
	done   map[string]bool
}

func newClientBook() *ClientBook {
	return &ClientBook{
		people: []Person{
			{ID: "1", Name: "Ines Ravn", Email: "ines@example.net", Phone: "+447700900321", Note: "season ticket"},
			{ID: "2", Name: "", Email: "tomas@example.net", Phone: "+447700900555", Note: "freight customer"},
		},
		done: map[string]bool{},
	}
}

// People returns everybody in the book.
func (b *ClientBook) People() []Person {
	b.mu.Lock()
	defer b.mu.Unlock()
	return append([]Person{}, b.people...)
}

// ServeHTTP serves GET /people?email=, POST /people and PATCH /people/ID.
func (b *ClientBook) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	if b.Trouble.strikes(w, r) {
		return
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	id, one := strings.CutPrefix(r.URL.Path, "/people/")
	switch {
	case r.Method == http.MethodGet && r.URL.Path == "/people":
		found := []Person{}
		for _, p := range b.people {
			if email := r.FormValue("email"); email == "" || strings.EqualFold(p.Email, email) {
				found = append(found, p)
			}
		}
		writeJSON(w, http.StatusOK, map[string]any{"items": found})
	case r.Method == http.MethodPost && r.URL.Path == "/people":
		var p Person
		if err := json.NewDecoder(http.MaxBytesReader(w, r.Body, 64<<10)).Decode(&p); err != nil {
			http.Error(w, err.Error(), http.StatusBadRequest)
			return
		}
		if !b.repeated(r) {
			p.ID = fmt.Sprint(len(b.people) + 1)
			b.people = append(b.people, p)
		}
		writeJSON(w, http.StatusCreated, p)
	case r.Method == http.MethodPatch && one:
		for i := range b.people {
			if b.people[i].ID != id {
				continue
			}
			if b.repeated(r) {
				writeJSON(w, http.StatusOK, b.people[i])
				return
			}
			if err := json.NewDecoder(http.MaxBytesReader(w, r.Body, 64<<10)).Decode(&b.people[i]); err != nil {
				http.Error(w, err.Error(), http.StatusBadRequest)
				return
			}
			b.people[i].ID = id
			writeJSON(w, http.StatusOK, b.people[i])
			return
		}
		http.NotFound(w, r)
	default:
		http.NotFound(w, r)
	}
}

func (b *ClientBook) repeated(r *http.Request) bool {
	key := r.Header.Get("Idempotency-Key")
	again := key != "" && b.done[key]
	b.done[key] = true
	return again
}

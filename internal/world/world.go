// Package world is the simulated outside world: a business's own page, a
// telephone, a mail server, a CRM, a timetable, a ledger, a harbour office and a model server, small stand-ins that ship
// with the product so that every part of it can be tried and tested.
package world

import (
	"cmp"
	"embed"
	"encoding/json"
	"fmt"
	"html/template"
	"net"
	"net/http"
	"strings"
	"sync"
	"time"
)

//go:embed pages
var pages embed.FS

// Options are what the outside world needs to know of the service.
type Options struct {
	Service   string // its base address
	Workspace string
	Secret    string           // that the text line signs with
	Now       func() time.Time // time.Now if nil
	Zone      *time.Location   // of the timetable; UTC if nil
}

// A World is all stand-ins together. It is safe for concurrent use.
type World struct {
	Handset    *Handset
	Mailroom   *Mailroom
	ClientBook *ClientBook
	Timetable  *Timetable
	Website    *Website
	Desk       *ReadingDesk
	Pager      *Pager
	Ledger     *Ledger
	Harbour    *Harbour
	Consents   *ConsentDesk

	options   Options
	templates *template.Template
	mux       *http.ServeMux
}

// New returns an outside world.
func New(o Options) (*World, error) {
	if o.Now == nil {
		o.Now = time.Now
	}
	if o.Zone == nil {
		o.Zone = time.UTC
	}
	handset, err := newHandset(o)
	if err != nil {
		return nil, err
	}
	desk := newConsentDesk(o.Service + "/consent/" + o.Workspace)
	w := &World{
		Handset: handset, Mailroom: newMailroom(desk), ClientBook: newClientBook(), Consents: desk, Timetable: &Timetable{now: o.Now, zone: o.Zone},
		Website: newWebsite(), Desk: &ReadingDesk{}, Pager: &Pager{}, Ledger: newLedger(), Harbour: newHarbour(), options: o, mux: http.NewServeMux(),
	}
	if w.templates, err = template.ParseFS(pages, "pages/*.html"); err != nil {
		return nil, err
	}
	w.page("GET /{$}", "start.html")
	w.page("GET /ferries", "ferries.html")
	w.page("GET /handset", "handset.html")
	w.page("GET /mailroom", "mailroom.html")
	w.page("GET /client-book", "clientbook.html")
	w.page("GET /timetable", "timetable.html")
	w.page("GET /reading-desk", "readingdesk.html")
	w.page("GET /pager", "pager.html")
	w.page("GET /ledger", "ledger.html")
	w.page("GET /harbour", "harbour.html")
	w.mux.Handle("GET /pages/", http.FileServerFS(pages))
	w.mux.HandleFunc("POST /handset/send", w.Handset.typed)
	w.mux.HandleFunc("GET /handset/texts", w.Handset.list)
	w.mux.HandleFunc("POST /handset/messages", w.Handset.receive)
	w.mux.HandleFunc("GET /mailroom/mails", w.Mailroom.list)
	w.mux.HandleFunc("POST /mailroom/mails", w.Mailroom.write)
	w.mux.HandleFunc("GET /mailroom/inbox", w.Mailroom.inbox)
	w.mux.HandleFunc("POST /mailroom/inbox", w.Mailroom.mark)
	w.mux.HandleFunc("GET /mailroom/mood", w.Mailroom.showMood)
	w.mux.HandleFunc("POST /mailroom/mood", w.Mailroom.showMood)
	w.mux.HandleFunc("GET /mailroom/drafts", w.Mailroom.drafts)
	w.mux.HandleFunc("POST /mailroom/drafts", w.Mailroom.draft)
	w.mux.Handle("/client-book/api/", http.StripPrefix("/client-book/api", w.ClientBook))
	w.mux.Handle("/timetable/api/", http.StripPrefix("/timetable/api", w.Timetable))
	w.mux.Handle("/ledger/api/", http.StripPrefix("/ledger/api", w.Ledger))
	w.mux.HandleFunc("GET /ledger/tickets", func(rw http.ResponseWriter, _ *http.Request) { writeJSON(rw, http.StatusOK, w.Ledger.Tickets()) })
	w.mux.Handle("/harbour/mcp", w.Harbour)
	w.mux.HandleFunc("GET /harbour/running", w.Harbour.list)
	w.mux.HandleFunc("POST /harbour/running", w.Harbour.change)
	w.mux.HandleFunc("POST /pager/alerts", w.Pager.take)
	w.mux.HandleFunc("GET /pager/alerts", w.Pager.list)
	w.Desk.serve(w.mux)
	w.Consents.serve(w.mux, w.consent)
	w.mux.HandleFunc("GET /consent-desk", w.consent)
	w.mux.Handle("GET /website/", w.Website)
	w.mux.HandleFunc("GET /robots.txt", robots)
	w.mux.HandleFunc("POST /trouble/{system}", w.trouble)
	w.mux.HandleFunc("GET /trouble", w.troubles)
	return w, nil
}

func (w *World) ServeHTTP(rw http.ResponseWriter, r *http.Request) { w.mux.ServeHTTP(rw, r) }

// ServeMail takes mails until the listener is closed.
func (w *World) ServeMail(l net.Listener) error { return w.Mailroom.serve(l) }

// ServeMailbox lets the mailbox of the business be read until the listener is closed.
func (w *World) ServeMailbox(l net.Listener) error { return w.Mailroom.serveBox(l) }

func (w *World) page(pattern, name string) {
	w.mux.HandleFunc(pattern, func(rw http.ResponseWriter, _ *http.Request) {
		rw.Header().Set("Content-Type", "text/html; charset=utf-8")
		if err := w.templates.ExecuteTemplate(rw, name, w.options); err != nil {
			fmt.Fprintf(rw, "<p>%v", err)
		}
	})
}

// scopes are what the consent desk asks for, in words.
var scopes = map[string]string{"mail": "reading and sending the office's mails", "clients": "reading and writing the client book"}

// consent shows the consent desk, or what is asked of the office there.
func (w *World) consent(rw http.ResponseWriter, r *http.Request) {
	shown := map[string]any{"Base": "http://" + r.Host, "Client": ConsentClient, "Secret": ConsentSecret, "Office": OfficeAddress}
	if asked := r.URL.Query(); len(asked) > 0 {
		shown["Asked"], shown["Wrong"] = asked, w.Consents.Wrong(asked)
		var what []string
		for _, scope := range strings.Fields(asked.Get("scope")) {
			what = append(what, cmp.Or(scopes[scope], scope))
		}
		shown["What"] = cmp.Or(strings.Join(what, ", "), "nothing in particular")
	}
	rw.Header().Set("Content-Type", "text/html; charset=utf-8")
	if err := w.templates.ExecuteTemplate(rw, "consent.html", shown); err != nil {
		fmt.Fprintf(rw, "<p>%v", err)
	}
}

// Trouble makes a stand-in fail or dawdle. The zero Trouble works well.
type Trouble struct {
	mu    sync.Mutex
	down  bool
	delay time.Duration
	came  int
	asked int
}

// Came is how often the stand-in was called, whether it has answered or not.
func (t *Trouble) Came() int {
	t.mu.Lock()
	defer t.mu.Unlock()
	return t.came
}

func (t *Trouble) isDown() bool {
	t.mu.Lock()
	defer t.mu.Unlock()
	return t.down
}

// Asked is how often the stand-in was asked and has waited.
func (t *Trouble) Asked() int {
	t.mu.Lock()
	defer t.mu.Unlock()
	return t.asked
}

// Set puts the stand-in down, or makes it wait before each answer.
func (t *Trouble) Set(down bool, delay time.Duration) {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.down, t.delay = down, delay
}

// strikes waits, and reports whether it has answered that it is down.
func (t *Trouble) strikes(w http.ResponseWriter, r *http.Request) bool {
	t.mu.Lock()
	down, delay := t.down, t.delay
	t.came++
	t.mu.Unlock()
	select {
	case <-time.After(delay):
	case <-r.Context().Done():
	}
	t.mu.Lock()
	t.asked++
	t.mu.Unlock()
	if down {
		http.Error(w, "out of order", http.StatusServiceUnavailable)
	}
	return down
}

func (w *World) systems() map[string]*Trouble {
	return map[string]*Trouble{"handset": &w.Handset.Trouble, "client-book": &w.ClientBook.Trouble, "timetable": &w.Timetable.Trouble, "website": &w.Website.Trouble, "reading-desk": &w.Desk.Trouble, "pager": &w.Pager.Trouble, "ledger": &w.Ledger.Trouble, "harbour": &w.Harbour.Trouble, "mailroom": &w.Mailroom.Trouble, "consent-desk": &w.Consents.Trouble}
}

// trouble switches a stand-in down or up, from the start page.
func (w *World) trouble(rw http.ResponseWriter, r *http.Request) {
	t := w.systems()[r.PathValue("system")]
	if t == nil {
		http.NotFound(rw, r)
		return
	}
	t.Set(r.FormValue("down") == "true", 0)
	w.troubles(rw, r)
}

func (w *World) troubles(rw http.ResponseWriter, _ *http.Request) {
	down := map[string]bool{}
	for name, t := range w.systems() {
		t.mu.Lock()
		down[name] = t.down
		t.mu.Unlock()
	}
	writeJSON(rw, http.StatusOK, down)
}

func writeJSON(w http.ResponseWriter, status int, v any) {
	w.Header().Set("Content-Type", "application/json")
	w.WriteHeader(status)
	// A client that is gone is no failure of ours.
	_ = json.NewEncoder(w).Encode(v)
}

package engine

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync"
	"testing"
	"time"

	"urgentparrot.example/internal/channel"
	"urgentparrot.example/internal/channel/channeltest"
	"urgentparrot.example/internal/clock"
	"urgentparrot.example/internal/core/message"
	"urgentparrot.example/internal/outbound"
	"urgentparrot.example/internal/store"
)

// start is when the tests' clock begins: a Tuesday.
var start = time.Date(2026, 11, 24, 9, 0, 0, 0, time.UTC)

// A stage is a workspace with a bell for a channel, an outside world that does what
// the test says, and a clock that the test walks.
type stage struct {
	*Workspace
	t      *testing.T
	folder string
	bell   *channeltest.Bell
	clock  *clock.Walked
	world  *world
	close  func() // once
}

// world is an outside HTTP system. handle answers a request; nil answers {}.
type world struct {
	*httptest.Server
	mu     sync.Mutex
	handle http.HandlerFunc
	asked  []string // "METHOD PATH BODY-KEY"
}

func newWorld(t *testing.T) *world {
	w := &world{}
	w.Server = httptest.NewServer(http.HandlerFunc(func(rw http.ResponseWriter, r *http.Request) {
		w.mu.Lock()
		w.asked = append(w.asked, r.Method+" "+r.URL.String())
		handle := w.handle
		w.mu.Unlock()
		if handle != nil {
			handle(rw, r)
			return
		}
		fmt.Fprint(rw, `{}`)
	}))
	t.Cleanup(w.Server.Close)
	return w
}

func (w *world) answers(handle http.HandlerFunc) {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.handle = handle
}

func (w *world) requests() []string {
	w.mu.Lock()
	defer w.mu.Unlock()
	return append([]string{}, w.asked...)
}

const brief = `bot: front-desk
name: Pip
tools: [tides]
capture:
  needs: [email]
  sheet: enquiries
  row: { Name: "{{ contact.name.orValue('') }}", E-mail: "{{ contact.email.orValue('') }}" }
  crm: outside
escalate:
  on: [not known, wish, anger]
  notify: office
  to: team/crew
`

const knowledgeText = `# Boats

## Food on board

There is a tea counter with soup and sandwiches on every boat.

## Bicycles

A bicycle costs £2.50 on every crossing.

## Dogs

Dogs travel free of charge and must be kept on a lead.
`

// documents are those of the stage, by kind and name.
func documents(outside string) [][2]string {
	return [][2]string{
		{"settings", "settings: " + "main\ntitle: Brackwater Ferries\ntime_zone: Europe/London\nstages:\n  - { stage: enquiry, label: Enquiry }\ntags: [group]\n"},
		{"connection", "connection: outside\nkind: http\naddress: " + outside + "\n"},
		{"connection", "connection: office\nkind: smtp\naddress: 127.0.0.1:1\nfrom: pip@brackwater.example\n"},
		{"sheet", "sheet: enquiries\ncolumns: [Name, E-mail]\n"},
		{"tool", "tool: tides\nconnection: outside\npath: /tides\ntries: 2\ntimeout: 30s\nwhen: [\"When is high water today?\"]\nresult: { type: object, required: [high] }\nsay: [{ text: \"High water is at {{ result.high }}.\" }]\nsorry: The harbour office does not answer.\n"},
		{"team", "team: crew\n"},
		{"person", "person: robin\nname: Robin\naddress: robin@brackwater.example\nteams: [crew]\n"},
		{"bot", brief},
		{"channel", "channel: bell\nkind: bell\nbot: front-desk\ntone: high\n"},
	}
}

// open opens a stage in a folder of its own.
func openStage(t *testing.T) *stage {
	t.Helper()
	return openStageIn(t, t.TempDir()+"/main", clock.NewWalked(start), &channeltest.Bell{}, newWorld(t))
}

func openStageIn(t *testing.T, folder string, c *clock.Walked, bell *channeltest.Bell, w *world) *stage {
	t.Helper()
	o := Options{
		Clock: c, Channels: []channel.Kind{bell.Kind()}, RetryBase: time.Second, PublicURL: "https://chat.example.org/",
		Chance: func(d time.Duration) time.Duration { return d / 2 }, // a pause is neither drawn out nor cut short
		Rules:  outbound.Rules{Allowed: []string{"127.0.0.1"}},
	}
	workspace, err := Open(t.Context(), folder, o)
	if err != nil {
		t.Fatal(err)
	}
	s := &stage{Workspace: workspace, t: t, folder: folder, bell: bell, clock: c, world: w}
	s.close = sync.OnceFunc(func() {
		if err := s.Workspace.Close(); err != nil {
			t.Errorf("closing: %v", err)
		}
	})
	t.Cleanup(s.close)
	sources, err := workspace.Store().Sources(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	if len(sources) > 0 {
		return s
	}
	for _, d := range documents(w.URL) {
		s.put(d[0], d[1])
	}
	if _, err := workspace.Library.AddFile(t.Context(), store.Source{Name: "boats.md"}, []byte(knowledgeText)); err != nil {
		t.Fatal(err)
	}
	return s
}

// contacts are those of the workspace, the newest first.
func (s *stage) contacts() []store.Contact {
	s.t.Helper()
	list, err := s.Store().Contacts(s.t.Context(), store.ContactFilter{Limit: 100})
	s.must(err)
	return list
}

// put keeps a document under the name that it gives itself.
func (s *stage) put(kind, text string) {
	s.t.Helper()
	_, rest, _ := strings.Cut(text, kind+": ")
	name, _, _ := strings.Cut(rest, "\n")
	if _, err := s.Documents.Put(s.t.Context(), kind, name, text, 0); err != nil {
		s.t.Fatalf("%s %s: %v", kind, name, err)
	}
}

// rings has a customer write, and returns the conversation.
func (s *stage) rings(phone, id, words string) string {
	s.t.Helper()
	received, err := s.bell.Ring(s.t.Context(), "bell", phone, id, words)
	if err != nil {
		s.t.Fatalf("%q: %v", words, err)
	}
	return received.Conversation
}

// until waits until something holds, while the clock stands still.
func (s *stage) until(what string, holds func() bool) {
	s.t.Helper()
	s.wait(what, holds, func() {})
}

// walking waits until something holds, and walks the clock on to whatever is due
// next, again and again.
func (s *stage) walking(what string, holds func() bool) {
	s.t.Helper()
	s.wait(what, holds, func() {
		if next, ok := s.clock.Next(); ok {
			s.clock.Walk(next)
		}
	})
}

// pausing is walking, through pauses up to a length only: what is under way keeps its
// time.
func (s *stage) pausing(what string, most time.Duration, holds func() bool) {
	s.t.Helper()
	s.wait(what, holds, func() {
		if next, ok := s.clock.Next(); ok && next <= most {
			s.clock.Walk(next)
		}
	})
}

// patience is how long a test waits for what should come to pass, in real time.
const patience = 60 * time.Second

func (s *stage) wait(what string, holds func() bool, meanwhile func()) {
	s.t.Helper()
	happened, end := s.Watch(Events)
	defer end()
	deadline := time.After(patience)
	tick := time.NewTicker(2 * time.Millisecond)
	defer tick.Stop()
	for !holds() {
		select {
		case <-happened:
		case <-tick.C:
			meanwhile()
		case <-deadline:
			s.t.Fatalf("it never came to pass that %s", what)
		}
	}
}

// sent returns what the bell has carried, as texts.
func (s *stage) sent() (texts []string) {
	for _, m := range s.bell.Sent() {
		texts = append(texts, message.Plain(m.Parts))
	}
	return texts
}

// answered waits for so many messages on the bell, and returns them.
func (s *stage) answered(n int) []string {
	s.t.Helper()
	s.until(fmt.Sprintf("%d messages are carried", n), func() bool { return len(s.sent()) >= n })
	if texts := s.sent(); len(texts) != n {
		s.t.Fatalf("%d messages were carried: %q", len(texts), texts)
	}
	return s.sent()
}

// messages returns the messages of a conversation.
func (s *stage) messages(id string) []store.Message {
	s.t.Helper()
	list, err := s.Store().Messages(s.t.Context(), id, 0, 100)
	if err != nil {
		s.t.Fatal(err)
	}
	return list
}

// lines returns the messages of a conversation as "author state: text".
func (s *stage) lines(id string) (lines []string) {
	for _, m := range s.messages(id) {
		lines = append(lines, strings.TrimSpace(fmt.Sprintf("%s %s", m.Author, m.State))+": "+m.Text)
	}
	return lines
}

func (s *stage) conversation(id string) store.Conversation {
	s.t.Helper()
	c, err := s.Store().Conversation(s.t.Context(), id)
	if err != nil {
		s.t.Fatal(err)
	}
	return c
}

// settled waits until every message of the conversation is decided on.
func (s *stage) settled(id string) {
	s.t.Helper()
	s.until("everything is decided on", func() bool {
		for _, m := range s.messages(id) {
			if m.Author == store.ByCustomer && m.TurnID == "" {
				return false
			}
		}
		wakes, err := s.Store().Wakes(s.t.Context(), id)
		return err == nil && len(wakes) == 0
	})
}

// effects returns the effects in a state.
func (s *stage) effects(state string) []store.Effect {
	s.t.Helper()
	list, err := s.Store().Effects(s.t.Context(), state, 100)
	if err != nil {
		s.t.Fatal(err)
	}
	return list
}

// again closes the workspace and opens it anew, on the same clock.
func (s *stage) again() *stage {
	s.t.Helper()
	s.close()
	return openStageIn(s.t, s.folder, s.clock, s.bell, s.world)
}

// must is for steps that have to work for the test to mean anything.
func (s *stage) must(err error) {
	s.t.Helper()
	if err != nil {
		s.t.Fatal(err)
	}
}

// contains checks that a text holds parts.
func contains(t *testing.T, text string, parts ...string) {
	t.Helper()
	for _, part := range parts {
		if !strings.Contains(text, part) {
			t.Errorf("%q does not hold %q", text, part)
		}
	}
}

// failing is an other side that fails until it is told to work.
type failing struct {
	mu    sync.Mutex
	err   error
	tries int
}

func (f *failing) send(context.Context, channel.Outgoing) error {
	f.mu.Lock()
	defer f.mu.Unlock()
	f.tries++
	return f.err
}

func (f *failing) says(err error) {
	f.mu.Lock()
	defer f.mu.Unlock()
	f.err = err
}

func (f *failing) tried() int {
	f.mu.Lock()
	defer f.mu.Unlock()
	return f.tries
}

// spoil changes the database behind the workspace's back.
func (s *stage) spoil(statement string, args ...any) {
	s.t.Helper()
	db, err := sql.Open("sqlite", "file:"+s.folder+"/parrot.db"+store.Pragmas)
	s.must(err)
	_, err = db.Exec(statement, args...)
	s.must(errors.Join(err, db.Close()))
}

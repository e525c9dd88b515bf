package api

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"urgentparrot.example/internal/channel"
	"urgentparrot.example/internal/channel/channeltest"
	"urgentparrot.example/internal/clock"
	"urgentparrot.example/internal/engine"
	"urgentparrot.example/internal/outbound"
	"urgentparrot.example/internal/store"
	"urgentparrot.example/internal/world"
)

// A stage is a server over a workspace with a bell, on a clock that the test walks.
type stage struct {
	*httptest.Server
	t         *testing.T
	api       *Server
	workspace *engine.Workspace
	bell      *channeltest.Bell
	clock     *clock.Walked
	token     string
}

func openStage(t *testing.T) *stage {
	t.Helper()
	bell, c := &channeltest.Bell{}, clock.NewWalked(time.Date(2026, 11, 24, 9, 0, 0, 0, time.UTC))
	outside, err := world.New(world.Options{})
	if err != nil {
		t.Fatal(err)
	}
	models := httptest.NewServer(outside)
	t.Cleanup(models.Close)
	w, err := engine.Open(t.Context(), filepath.Join(t.TempDir(), "main"), engine.Options{
		Clock: c, Channels: []channel.Kind{bell.Kind()}, Rules: outbound.Rules{Allowed: []string{models.Listener.Addr().String()}},
	})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = w.Close() })
	for _, d := range [][3]string{
		{"settings", "main", "settings: main\ntitle: Brackwater Ferries\nfields:\n  - { field: name, label: Name, type: name }\n  - { field: email, label: E-mail, type: email }\n  - { field: health, label: Health, sensitive: true }\nstages: [{ stage: enquiry, label: Enquiry }]\ntags: [group]\n"},
		{"sheet", "enquiries", "sheet: enquiries\ncolumns: [Name]\n"},
		{"connection", "book", "connection: book\nkind: http\naddress: https://book.example.org\n"},
		{"connection", "harbour", "connection: harbour\nkind: mcp\naddress: " + models.URL + "/harbour/mcp\n"},
		{"tool", "boats", "tool: boats\ndoes: mcp\nconnection: harbour\nmcp_tool: boats_running\nreads_only: true\nwhen: [are the boats running]\narguments: { type: object, required: [island], properties: { island: { type: string } } }\ncomes_from: { island: { ask: Which? } }\nsay: [{ text: \"{{ result.state }}\" }]\nsorry: Not now.\n"},
		{"connection", "reader", "connection: reader\nkind: model\naddress: " + models.URL + "/reading-desk/v1\nmodel: desk-small\n"},
		{"bot", "front-desk", "bot: front-desk\nname: Pip\nescalate:\n  on: [not known, wish, anger]\n"},
		{"channel", "bell", "channel: bell\ntitle: Bell\nkind: bell\nbot: front-desk\ntone: high\n"},
	} {
		if _, err := w.Documents.Put(t.Context(), d[0], d[1], d[2], 0); err != nil {
			t.Fatal(err)
		}
	}
	if _, err := w.Library.AddFile(t.Context(), store.Source{Name: "boats.md"}, []byte("# Boats\n\n## Bicycles\n\nA bicycle costs £2.50 on every crossing.\n")); err != nil {
		t.Fatal(err)
	}
	s := &stage{t: t, workspace: w, bell: bell, clock: c}
	s.api = New(Options{Workspaces: map[string]*engine.Workspace{"main": w}, PublicURL: "https://chat.example.org"})
	s.Server = httptest.NewServer(s.api)
	t.Cleanup(s.Server.Close)
	if s.token, err = w.Access.Grant(t.Context(), store.Token, "Robin"); err != nil {
		t.Fatal(err)
	}
	return s
}

// A response is one with its body read.
type response struct {
	*http.Response
	body string
}

// problem is what a problem document says.
func (a response) problem(t *testing.T) (p struct{ Type, Title, Detail, Field string }) {
	t.Helper()
	if kind := a.Header.Get("Content-Type"); !strings.HasPrefix(kind, "application/problem+json") {
		t.Errorf("a problem is served as %q: %s", kind, a.body)
	}
	if err := json.Unmarshal([]byte(a.body), &p); err != nil {
		t.Errorf("%v: %s", err, a.body)
	}
	return p
}

// call makes a request with the token, unless the header says otherwise.
func (s *stage) call(method, path string, body any, header ...string) response {
	s.t.Helper()
	var content io.Reader
	switch b := body.(type) {
	case nil:
	case string:
		content = strings.NewReader(b)
	default:
		raw, err := json.Marshal(b)
		if err != nil {
			s.t.Fatal(err)
		}
		content = bytes.NewReader(raw)
	}
	r, err := http.NewRequestWithContext(s.t.Context(), method, s.URL+path, content)
	if err != nil {
		s.t.Fatal(err)
	}
	r.Header.Set("Authorization", "Bearer "+s.token)
	if content != nil {
		r.Header.Set("Content-Type", "application/json")
	}
	for i := 0; i+1 < len(header); i += 2 {
		r.Header.Set(header[i], header[i+1])
		if header[i+1] == "" {
			r.Header.Del(header[i])
		}
	}
	got, err := http.DefaultTransport.RoundTrip(r) // redirects are not followed
	if err != nil {
		s.t.Fatal(err)
	}
	defer got.Body.Close()
	raw, err := io.ReadAll(got.Body)
	if err != nil {
		s.t.Fatal(err)
	}
	return response{got, string(raw)}
}

// get reads JSON.
func (s *stage) get(path string, into any) {
	s.t.Helper()
	a := s.call(http.MethodGet, "/api/v1"+path, nil)
	if a.StatusCode != http.StatusOK {
		s.t.Fatalf("%s: %d %s", path, a.StatusCode, a.body)
	}
	if err := json.Unmarshal([]byte(a.body), into); err != nil {
		s.t.Fatalf("%s: %v in %s", path, err, a.body)
	}
}

// rings has a customer write, and waits until it is decided on.
func (s *stage) rings(phone, id, words string) (conversation string) {
	s.t.Helper()
	received, err := s.bell.Ring(s.t.Context(), "bell", phone, id, words)
	if err != nil {
		s.t.Fatal(err)
	}
	s.until(fmt.Sprintf("%q is decided on", words), func() bool {
		m, err := s.workspace.Store().Message(s.t.Context(), received.Message)
		return err == nil && m.TurnID != ""
	})
	return received.Conversation
}

func (s *stage) until(what string, holds func() bool) {
	s.t.Helper()
	happened, end := s.workspace.Watch(engine.Events)
	defer end()
	deadline := time.After(20 * time.Second)
	for !holds() {
		select {
		case <-happened:
		case <-time.After(5 * time.Millisecond):
		case <-deadline:
			s.t.Fatalf("it never came to pass that %s", what)
		}
	}
}

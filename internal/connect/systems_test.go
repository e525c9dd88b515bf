package connect

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/emersion/go-smtp"

	"urgentparrot.example/internal/clock"
	"urgentparrot.example/internal/core/contact"
	"urgentparrot.example/internal/core/template"
	"urgentparrot.example/internal/core/tool"
	"urgentparrot.example/internal/outbound"
	"urgentparrot.example/internal/submission"
)

// system is an outside system that answers as the test says.
type system struct {
	*httptest.Server
	mu    sync.Mutex
	asked []string // "METHOD PATH?QUERY BODY"
	keys  []string
}

func newSystem(t *testing.T, answer func(n int, w http.ResponseWriter, r *http.Request)) (*system, Endpoint, *clock.Walked) {
	s, c := &system{}, clock.NewWalked(time.Now())
	s.Server = httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		raw, _ := io.ReadAll(r.Body)
		s.mu.Lock()
		s.asked = append(s.asked, strings.TrimSpace(r.Method+" "+r.URL.String()+" "+string(raw)))
		s.keys = append(s.keys, r.Header.Get("Idempotency-Key"))
		n := len(s.asked)
		s.mu.Unlock()
		answer(n, w, r)
	}))
	t.Cleanup(s.Close)
	return s, Endpoint{Title: "The harbour", Address: s.URL + "/", Secret: "swordfish", Client: s.Client(), Clock: c}, c
}

func (s *system) requests() []string {
	s.mu.Lock()
	defer s.mu.Unlock()
	return append([]string{}, s.asked...)
}

func tides(t *testing.T, more string) tool.Tool {
	t.Helper()
	made, err := tool.Parse("tides.yaml", []byte(`tool: tides
connection: harbour
path: /tides
when: ["When is high water?"]
result: { type: object, required: [high], properties: { high: { type: string } } }
say: [{ text: "At {{ result.high }}." }]
sorry: No answer.
`+more))
	if err != nil {
		t.Fatal(err)
	}
	return made
}

func TestAToolIsCalledAsItsDocumentSays(t *testing.T) {
	s, e, _ := newSystem(t, func(_ int, w http.ResponseWriter, r *http.Request) {
		if r.Header.Get("Authorization") != "Bearer swordfish" {
			w.WriteHeader(http.StatusUnauthorized)
			return
		}
		fmt.Fprint(w, `{"high":"14:20"}`)
	})
	value, _, err := Request(t.Context(), e, tides(t, ""), template.Values{Arguments: map[string]any{"day": "2026-11-24", "pier": "Hallow & Point"}}, "key-1")
	if err != nil || value.(map[string]any)["high"] != "14:20" {
		t.Fatalf("%v, %v", value, err)
	}
	if _, _, err := Request(t.Context(), e, tides(t, "method: POST\n"), template.Values{Arguments: map[string]any{"seats": 3.0}}, "key-2"); err != nil {
		t.Fatal(err)
	}
	if got := s.requests(); got[0] != "GET /tides?day=2026-11-24&pier=Hallow+%26+Point" || got[1] != `POST /tides {"seats":3}` {
		t.Errorf("asked were %q", got)
	}
	if s.keys[0] != "" || s.keys[1] != "key-2" {
		t.Errorf("under the keys %q", s.keys)
	}
}

func TestAToolIsTriedAsOftenAsItSays(t *testing.T) {
	for _, c := range []struct {
		what    string
		answer  func(n int, w http.ResponseWriter, r *http.Request)
		tries   int
		refused bool
		says    string
	}{
		{"a system that is down", func(_ int, w http.ResponseWriter, _ *http.Request) { http.Error(w, "down", 503) }, 3, false, "answered 503"},
		{"too many requests", func(_ int, w http.ResponseWriter, _ *http.Request) { w.WriteHeader(429) }, 3, false, "answered 429"},
		{"a final no", func(_ int, w http.ResponseWriter, _ *http.Request) { http.Error(w, "no such pier", 404) }, 1, true, "no such pier"},
		{"a misfit", func(_ int, w http.ResponseWriter, _ *http.Request) { fmt.Fprint(w, `{"high":14}`) }, 1, true, "does not fit"},
		{"no JSON", func(_ int, w http.ResponseWriter, _ *http.Request) { fmt.Fprint(w, `<html>`) }, 3, false, "not JSON"},
		{"a redirect", func(_ int, w http.ResponseWriter, r *http.Request) {
			http.Redirect(w, r, "http://169.254.169.254/latest", http.StatusFound)
		}, 1, true, "answered 302"},
		{"a hang", func(_ int, _ http.ResponseWriter, r *http.Request) { <-r.Context().Done() }, 3, false, "cannot be reached"},
		{"too much", func(_ int, w http.ResponseWriter, _ *http.Request) {
			fmt.Fprint(w, `{"high":"`+strings.Repeat("x", systemLimit)+`"}`)
		}, 1, true, "more than"},
	} {
		s, e, walked := newSystem(t, c.answer)
		e.Client.CheckRedirect = func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }
		timeout := "timeout: 30s\n"
		if c.what == "a hang" {
			timeout = "timeout: 1s\n"
		}
		ended := make(chan error, 1)
		go func() {
			_, _, err := Request(t.Context(), e, tides(t, timeout), template.Values{Arguments: nil}, "")
			ended <- err
		}()
		var err error
		for waiting := true; waiting; {
			select {
			case err = <-ended:
				waiting = false
			case <-time.After(5 * time.Millisecond):
				if next, ok := walked.Next(); ok && next < 10*time.Second { // a pause, or the time of one that hangs
					walked.Walk(next)
				}
			}
		}
		// A try may end by its time before it has been sent: at most as many arrive.
		if n := len(s.requests()); err == nil || errors.Is(err, outbound.ErrRefused) != c.refused || !strings.Contains(err.Error(), c.says) || n > c.tries || c.what != "a hang" && n != c.tries {
			t.Errorf("%s: %d tries, %v; want %d and %q", c.what, n, err, c.tries, c.says)
		}
		if err != nil && strings.Contains(err.Error(), "swordfish") {
			t.Errorf("%s: the error tells the secret: %v", c.what, err)
		}
	}
}

func TestPausesBetweenTriesGrow(t *testing.T) {
	tool := tides(t, "tries: 5\ntimeout: 30s\n")
	var all time.Duration
	for try, want := range []time.Duration{0, 200, 400, 800, 1600} {
		if got := tool.PauseBefore(try); got != want*time.Millisecond {
			t.Errorf("before try %d there are %s", try, got)
		}
		all += tool.PauseBefore(try)
	}
	if tool.Time() != 150*time.Second+all {
		t.Errorf("all tries may take %s", tool.Time())
	}
}

var fields = append(contact.Standard(), contact.Field{Name: "island", Label: "Island", Type: contact.Text})

// claims are what a customer says of themselves; verified is vouched for.
func claims(values ...string) contact.Memory {
	m := contact.Memory{}
	for i := 0; i < len(values); i += 2 {
		m[values[i]] = contact.Fact{Field: values[i], Value: values[i+1]}
	}
	return m
}

func verified(m contact.Memory, names ...string) contact.Memory {
	for _, name := range names {
		m[name] = contact.Fact{Field: name, Value: m[name].Value, Verified: true}
	}
	return m
}

// Nobody's record is found by what is only claimed, and none is filled with it.
func TestTheClientBookIsFilledCarefully(t *testing.T) {
	ada := func() contact.Memory {
		return claims("name", "Ada", "email", "ada@example.org", "phone", "+447700900123", "island", "Gannet Holm")
	}
	const made = `POST /people {"email":"ada@example.org","island":"Gannet Holm","name":"Ada","note":"as said by the customer","phone":"+447700900123"}`
	for _, c := range []struct {
		what, own, there, wrote, id string
		known                       contact.Memory
	}{
		{"somebody new", "", `[]`, made, "9", ada()},
		{"another's address, claimed", "", `[{"id":"1","email":"ada@example.org","name":""}]`, made, "9", ada()},
		{"one's own address, verified", "", `[{"id":"7","email":"Ada@Example.org","name":"","phone":""}]`,
			`PATCH /people/7 {"note":"Name: Ada (as said by the customer)\nTelephone: +447700900123 (as said by the customer)\nIsland: Gannet Holm (as said by the customer)"}`, "7", verified(ada(), "email")},
		{"one's own number, verified", "", `[{"id":"7","email":"","phone":"+447700900123","name":"A","island":"Gannet Holm","note":"Name: Ada (as said by the customer)"}]`,
			`PATCH /people/7 {"note":"Name: Ada (as said by the customer)\nE-mail: ada@example.org (as said by the customer)"}`, "7", verified(ada(), "phone")},
		{"all verified", "", `[{"id":"7","email":"ada@example.org","name":"Ada Brill","note":"calls often"}]`,
			`PATCH /people/7 {"island":"Gannet Holm","note":"calls often\nName: Ada","phone":"+447700900123"}`, "7", verified(ada(), "name", "email", "phone", "island")},
		{"nothing to add", "", `[{"id":"7","email":"ada@example.org","name":"ada","phone":"+447700900123","island":"Gannet Holm"}]`, ``, "7", verified(ada(), "email")},
		{"the search gives another's", "", `[{"id":"1","email":"ines@example.net","name":"Ines"}]`, made, "9", verified(ada(), "email", "phone")},
		{"several, one of them right", "", `[{"id":"1","email":"x@example.net"},{"id":2,"email":"ada@example.org","name":"Ada","phone":"+447700900123"}]`,
			`PATCH /people/2 {"island":"Gannet Holm"}`, "2", verified(ada(), "email", "island")},
		{"nothing to look for", "", `[{"id":"1","email":"","name":""}]`, `POST /people {"email":"","island":"","name":"Ada","note":"as said by the customer","phone":""}`, "9", claims("name", "Ada")},
		{"empty and verified", "", `[{"id":"1","email":"","name":""}]`, `POST /people {"email":"","island":"","name":"Ada","note":"as said by the customer","phone":""}`, "9", verified(claims("name", "Ada", "email", ""), "email")},
		{"the record made before", "9", `{"id":"9","email":"old@example.org","name":"Ada","phone":""}`,
			`PATCH /people/9 {"island":"Gannet Holm","note":"E-mail: ada@example.org (as said by the customer)","phone":"+447700900123"}`, "9", ada()},
		{"the record made before is gone", "8", ``, made, "9", ada()},
	} {
		s, e, _ := newSystem(t, func(_ int, w http.ResponseWriter, r *http.Request) {
			switch {
			case r.Method == http.MethodGet && c.own != "" && c.there == "":
				w.WriteHeader(http.StatusNotFound)
			case r.Method == http.MethodGet && c.own != "":
				fmt.Fprint(w, c.there)
			case r.Method == http.MethodGet:
				fmt.Fprintf(w, `{"items":%s}`, c.there)
			default:
				fmt.Fprint(w, `{"id":9}`)
			}
		})
		id, err := SyncContact(t.Context(), e, fields, c.known, c.own, "key")
		if err != nil || id != c.id {
			t.Errorf("%s: record %q, %v; want %q", c.what, id, err, c.id)
		}
		got := ""
		for _, asked := range s.requests() {
			if !strings.HasPrefix(asked, "GET") {
				got = asked
			} else if strings.Contains(asked, "=&") || strings.HasSuffix(asked, "= ") {
				t.Errorf("%s: looked for nothing: %s", c.what, asked)
			}
		}
		if got != c.wrote {
			t.Errorf("%s: wrote %s, want %s", c.what, got, c.wrote)
		}
	}
	_, e, _ := newSystem(t, func(_ int, w http.ResponseWriter, _ *http.Request) {
		fmt.Fprint(w, `{"items":[{"email":"ada@example.org"}]}`)
	})
	if _, err := SyncContact(t.Context(), e, fields, verified(ada(), "email"), "", "key"); !errors.Is(err, outbound.ErrRefused) {
		t.Errorf("a record without an id: %v", err)
	}
}

// letterbox is a mail server that fails as the test says.
type letterbox struct {
	fails error
	got   chan string
}

func (l *letterbox) NewSession(*smtp.Conn) (smtp.Session, error) { return l, nil }
func (l *letterbox) Mail(from string, _ *smtp.MailOptions) error { return nil }
func (l *letterbox) Rcpt(to string, _ *smtp.RcptOptions) error   { return l.fails }
func (l *letterbox) Reset()                                      {}
func (l *letterbox) Logout() error                               { return nil }
func (l *letterbox) Data(r io.Reader) error {
	raw, err := io.ReadAll(r)
	l.got <- string(raw)
	return err
}

var loopback = outbound.Rules{Allowed: []string{"127.0.0.1"}}

// The own network is not called for mail either, and what answers there by another
// protocol is not told on.
func TestMailGoesOnlyWhereItMay(t *testing.T) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer l.Close()
	go func() {
		for {
			conn, err := l.Accept()
			if err != nil {
				return
			}
			fmt.Fprint(conn, "inner-database-9.7 ready\r\n")
			_ = conn.Close() // the other side sees it
		}
	}()
	mail := Mail{ID: "1", From: "pip@example.org", To: []string{"robin@example.org"}, Subject: "a", Body: "b", At: time.Now()}
	if err := SendMail(t.Context(), &submission.Server{Address: l.Addr().String()}, mail); !errors.Is(err, outbound.ErrNotPublic) {
		t.Errorf("not allowed: %v", err)
	}
	if err := SendMail(t.Context(), &submission.Server{Address: l.Addr().String(), Rules: loopback}, mail); err == nil || strings.Contains(err.Error(), "inner-database") {
		t.Errorf("another protocol: %v", err)
	}
}

// A secret that a system repeats is not shown, in an error or in a result.
func TestRepeatedSecretsAreBlanked(t *testing.T) {
	for _, status := range []int{200, 400, 404} {
		_, e, _ := newSystem(t, func(_ int, w http.ResponseWriter, r *http.Request) {
			w.WriteHeader(status)
			fmt.Fprintf(w, `{"high":"you sent %s"}`, r.Header.Get("Authorization"))
		})
		e.Secret = "swordfish/7+"
		result, _, err := Request(t.Context(), e, tides(t, "tries: 1\n"), template.Values{Arguments: nil}, "")
		if said := fmt.Sprint(result, err); strings.Contains(said, "swordfish") || !strings.Contains(said, "***") {
			t.Errorf("%d: %s", status, said)
		}
	}
}

func TestMailIsHandedOverOrRefused(t *testing.T) {
	serve := func(box *letterbox) string {
		t.Helper()
		l, err := net.Listen("tcp", "127.0.0.1:0")
		if err != nil {
			t.Fatal(err)
		}
		server := smtp.NewServer(box)
		server.Domain = "box"
		go func() { _ = server.Serve(l) }() // it ends with the server
		t.Cleanup(func() { _ = server.Close() })
		return l.Addr().String()
	}
	mail := Mail{ID: "01990000", From: "pip@example.org", To: []string{"robin@example.org"}, Subject: "Füße\r\nBcc: eve@example.net", Body: "A customer waits.\n.\nReally.", At: time.Now()}
	box := &letterbox{got: make(chan string, 1)}
	if err := SendMail(t.Context(), &submission.Server{Address: serve(box), Rules: loopback}, mail); err != nil {
		t.Fatal(err)
	}
	letter := <-box.got
	head, body, _ := strings.Cut(letter, "\r\n\r\n")
	if !strings.Contains(head, "Message-Id: <01990000@urgent-parrot>") || !strings.Contains(head, "Auto-Submitted: auto-generated") || strings.Contains(head, "\r\nBcc:") || !strings.Contains(body, ".\r\nReally.") {
		t.Errorf("the letter is %q", letter)
	}
	for code, refused := range map[int]bool{550: true, 450: false} {
		err := SendMail(t.Context(), &submission.Server{Address: serve(&letterbox{fails: &smtp.SMTPError{Code: code, Message: "no"}}), Rules: loopback}, mail)
		if err == nil || errors.Is(err, outbound.ErrRefused) != refused {
			t.Errorf("%d became %v", code, err)
		}
	}
	if err := SendMail(t.Context(), &submission.Server{Address: "127.0.0.1:1", Rules: loopback}, mail); err == nil || errors.Is(err, outbound.ErrRefused) {
		t.Errorf("a server that is not there: %v", err)
	}
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	if err := SendMail(ctx, &submission.Server{Address: serve(&letterbox{got: make(chan string, 1)}), Rules: loopback}, mail); err == nil {
		t.Error("a mail was sent although nobody waits")
	}
}

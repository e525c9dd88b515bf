package main

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"urgentparrot.example/client"
)

// parrot runs a command against a service that answers by address; it returns the
// exit code and what was printed.
func parrot(t *testing.T, answers map[string]string, in string, args ...string) (code int, out, errs string) {
	t.Helper()
	t.Setenv("XDG_CONFIG_HOME", t.TempDir())
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		body, ok := answers[r.Method+" "+strings.TrimPrefix(r.URL.Path, "/api/v1")]
		if !ok {
			w.WriteHeader(http.StatusNotFound)
			fmt.Fprint(w, `{"status":404,"detail":"there is nothing of that name or id here"}`)
			return
		}
		if status, rest, ok := strings.Cut(body, "!"); ok && len(status) == 3 {
			var n int
			fmt.Sscan(status, &n)
			w.WriteHeader(n)
			body = rest
		}
		fmt.Fprint(w, body)
	}))
	t.Cleanup(server.Close)
	t.Setenv("PARROT_SERVER", server.URL)
	t.Setenv("PARROT_TOKEN", "pt_main_x")
	var stdout, stderr bytes.Buffer
	code = run(t.Context(), args, strings.NewReader(in), &stdout, &stderr)
	return code, stdout.String(), stderr.String()
}

// Every command has help that says what it is for, with an example.
func TestEveryCommandHasHelp(t *testing.T) {
	_, overviewed, _ := parrot(t, nil, "", "help")
	for _, cmd := range commands {
		code, out, errs := parrot(t, nil, "", cmd.name, "-h")
		if code != exitDone || errs != "" {
			t.Errorf("%s -h: exit %d, %q", cmd.name, code, errs)
		}
		for _, part := range []string{"parrot " + cmd.name, cmd.summary, "Usage:", "Example: parrot " + cmd.name} {
			if !strings.Contains(out, part) {
				t.Errorf("%s -h does not say %q:\n%s", cmd.name, part, out)
			}
		}
		if !strings.Contains(overviewed, "  "+cmd.name+" ") {
			t.Errorf("parrot help does not list %s", cmd.name)
		}
	}
	for _, kind := range []string{"settings", "bot", "channel", "connection", "tool", "sheet", "person", "team", "hours"} {
		if !strings.Contains(overviewed, "  "+kind+" ") {
			t.Errorf("there is no command for documents of the kind %s", kind)
		}
	}
}

func TestExitCodesSayWhatWentWrong(t *testing.T) {
	for _, c := range []struct {
		args    []string
		answers map[string]string
		code    int
		says    string
	}{
		{nil, nil, exitUsage, ""},
		{[]string{"sing"}, nil, exitUsage, `no command "sing"`},
		{[]string{"status", "-loud"}, nil, exitUsage, "wrong flags"},
		{[]string{"status", "now"}, nil, exitUsage, "used like this"},
		{[]string{"inbox"}, nil, exitUsage, "used like this"},
		{[]string{"inbox", "sing", "abcdef"}, map[string]string{"GET /conversations": `{"items":[]}`}, exitUsage, "there are list, show, take, reply, held, approve, reject"},
		{[]string{"bot", "sing", "x"}, nil, exitUsage, "there is no parrot bot sing"},
		{[]string{"bot", "show"}, nil, exitUsage, "needs a name"},
		{[]string{"bot", "show", "nobody"}, nil, exitNotFound, "nothing of that name"},
		{[]string{"bot", "push", "/no/such/file.yaml"}, nil, exitFailed, "no such file"},
		{[]string{"status"}, map[string]string{"GET /status": `401!{"detail":"sign in first"}`}, exitNotAllowed, "sign in first"},
		{[]string{"status"}, map[string]string{"GET /status": `403!{"detail":"not for you"}`}, exitNotAllowed, "not for you"},
		{[]string{"status"}, map[string]string{"GET /status": `500!{"detail":"it has been logged"}`}, exitFailed, "it has been logged"},
		{[]string{"status", "-server", "http://127.0.0.1:1"}, nil, exitUnreachable, "cannot be reached at http://127.0.0.1:1"},
		{[]string{"contact", "set", "abcd", "-fact", "email"}, nil, exitUsage, "wrong flags"},
	} {
		code, _, errs := parrot(t, c.answers, "", c.args...)
		if code != c.code || !strings.Contains(errs, c.says) {
			t.Errorf("parrot %s: exit %d, %q; want %d and %q", strings.Join(c.args, " "), code, errs, c.code, c.says)
		}
	}
}

const held = `{"items":[{"id":"01990000-0000-7000-8000-00000000aaaa","author":"customer","text":"hello","state":"received","parts":[]},
	{"id":"01990000-0000-7000-8000-00000000bbbb","author":"bot","name":"Pip","text":"Hello!","state":"held","parts":[]},
	{"id":"01990000-0000-7000-8000-00000000cccc","author":"bot","name":"Pip","text":"Gone.","state":"withdrawn","parts":[]}]}`

func TestHeldRepliesAreJudgedFromTheTerminal(t *testing.T) {
	answers := map[string]string{
		"GET /conversations": `{"items":[{"id":"01990000-0000-7000-8000-00000000c0de","who":"Ada","channel":"bell","lead":"bot","bot":"front-desk","because":"a reply waits for approval","waiting_since":"2026-11-24T09:00:00Z","preview":"hello"}]}`,
		"GET /conversations/01990000-0000-7000-8000-00000000c0de":          `{"id":"01990000-0000-7000-8000-00000000c0de","who":"Ada","channel":"bell","lead":"bot","bot":"front-desk","facts":[{"field":"email","label":"E-mail","value":"ada@example.org"},{"field":"health","label":"Health","value":"nuts","sensitive":true}]}`,
		"GET /conversations/01990000-0000-7000-8000-00000000c0de/messages": held,
		"POST /messages/01990000-0000-7000-8000-00000000bbbb/approve":      `{"id":"01990000-0000-7000-8000-00000000bbbb","state":"made"}`,
		"POST /messages/01990000-0000-7000-8000-00000000bbbb/reject":       `{"id":"01990000-0000-7000-8000-00000000bbbb","state":"withdrawn"}`,
	}
	code, out, errs := parrot(t, answers, "", "inbox", "show", "c0de")
	for _, part := range []string{"Ada on bell, led by the bot front-desk", "E-mail: ada@example.org", "Health: Health (sensitive)", "[held; parrot inbox approve 00000000bbbb]", "[withdrawn]"} {
		if code != exitDone || !strings.Contains(out, part) {
			t.Errorf("exit %d %s: %q does not hold %q", code, errs, out, part)
		}
	}
	if strings.Contains(out, "nuts") {
		t.Errorf("a sensitive value is shown: %s", out)
	}
	for _, c := range [][]string{{"approve", "Approved; it goes out."}, {"reject", "the customer waits for a person"}} {
		if code, out, errs := parrot(t, answers, "", "inbox", c[0], "bbbb", "the", "words"); code != exitDone || !strings.Contains(out, c[1]) {
			t.Errorf("%s: exit %d, %q %q", c[0], code, out, errs)
		}
	}
	if code, _, errs := parrot(t, answers, "", "inbox", "approve", "dddd"); code != exitNotFound || !strings.Contains(errs, "nothing of that name") {
		t.Errorf("a reply that is not there: exit %d, %q", code, errs)
	}
}

func TestDocumentsAreWrittenAndReadAsFiles(t *testing.T) {
	t.Chdir(t.TempDir())
	answers := map[string]string{
		"GET /documents/hours":               `{"items":[]}`,
		"GET /documents/hours/office":        `{"name":"office","kind":"hours","text":"hours: office\n","version":3}`,
		"PUT /documents/hours/office":        `{"name":"office","kind":"hours","text":"hours: office\n","version":4}`,
		"DELETE /documents/hours/office":     ``,
		"POST /documents/hours/office/check": `{"problems":[{"file":"office","line":2,"column":1,"message":"on which weekdays?"}]}`,
		"GET /schemas/hours":                 `{"title":"Hours"}`,
	}
	if code, out, _ := parrot(t, answers, "", "hours", "list"); code != exitDone || !strings.Contains(out, "parrot hours example > NAME.yaml") {
		t.Errorf("an empty list says %q", out)
	}
	code, out, _ := parrot(t, answers, "", "hours", "example")
	if code != exitDone || !strings.HasPrefix(out, "hours: ticket-office\n") {
		t.Fatalf("the example is %q", out)
	}
	if err := os.WriteFile("office.yaml", []byte(strings.Replace(out, "ticket-office", "office", 1)), 0o600); err != nil {
		t.Fatal(err)
	}
	if code, out, errs := parrot(t, answers, "", "hours", "push", "office.yaml"); code != exitDone || !strings.Contains(out, "office is live (version 4)") {
		t.Errorf("exit %d, %q %q", code, out, errs)
	}
	if code, _, errs := parrot(t, answers, "", "hours", "check", "office.yaml"); code != exitFailed || !strings.Contains(errs, "office.yaml:2:1: on which weekdays?") {
		t.Errorf("exit %d, %q", code, errs)
	}
	if code, out, _ := parrot(t, answers, "", "hours", "check", "office.yaml", "-json"); code != exitFailed || !json.Valid([]byte(out)) {
		t.Errorf("exit %d, %q", code, out)
	}
	if code, out, _ := parrot(t, answers, "", "hours", "pull", "office"); code != exitDone || !strings.Contains(out, "office.yaml (version 3)") {
		t.Errorf("exit %d, %q", code, out)
	}
	if raw, err := os.ReadFile(filepath.Join(".", "office.yaml")); err != nil || string(raw) != "hours: office\n" {
		t.Errorf("pulled was %q, %v", raw, err)
	}
	if code, out, _ := parrot(t, answers, "", "hours", "schema"); code != exitDone || !strings.Contains(out, "Hours") {
		t.Errorf("exit %d, %q", code, out)
	}
	if code, out, errs := parrot(t, answers, "", "hours", "remove", "office"); code != exitDone || !strings.Contains(out, "Removed office") {
		t.Errorf("exit %d, %q %q", code, out, errs)
	}
}

// With -json each command prints one JSON document, and errors stay apart.
func TestJSONIsOneDocument(t *testing.T) {
	answers := map[string]string{
		"GET /status": `{"version":"1","channels":[],"troubles":[]}`, "GET /contacts": `{"items":[{"id":"01990000-0000-7000-8000-00000000aaaa","who":"Ada","facts":[],"tags":[]}]}`,
		"GET /conversations": `{"items":[]}`, "GET /sources": `{"items":[]}`, "GET /gaps": `{"items":[]}`, "GET /documents/bots": `{"items":[]}`,
		"PATCH /contacts/01990000-0000-7000-8000-00000000aaaa": `{"id":"01990000-0000-7000-8000-00000000aaaa","who":"Ada","stage":"booked","facts":[],"tags":["group"]}`,
		"POST /bots/front-desk/ask":                            `{"answer":"Soup.","confidence":0.8,"citations":[{"source":"x"}],"trace":{"threshold":0.5,"decision":"answered","why":"w"}}`,
	}
	for _, args := range [][]string{{"status"}, {"contact", "list"}, {"inbox", "list"}, {"knowledge", "list"}, {"knowledge", "gaps"}, {"bot", "list"}, {"ask", "is there food?"}, {"contact", "set", "aaaa", "-stage", "booked", "-tags", "group, "}} {
		code, out, errs := parrot(t, answers, "", append(args, "-json")...)
		if code != exitDone || !json.Valid([]byte(out)) || errs != "" {
			t.Errorf("parrot %s -json: exit %d, %q %q", strings.Join(args, " "), code, out, errs)
		}
		if code, out, errs := parrot(t, answers, "", args...); code != exitDone || strings.HasPrefix(out, "{") || errs != "" || out == "" {
			t.Errorf("parrot %s: exit %d, %q %q", strings.Join(args, " "), code, out, errs)
		}
	}
	if code, out, _ := parrot(t, answers, "is there food?", "ask", "-"); code != exitDone || !strings.Contains(out, "Soup.") || !strings.Contains(out, "Decision    answered: w") {
		t.Errorf("from standard input: exit %d, %q", code, out)
	}
}

func TestTimesReadAsPeopleSayThem(t *testing.T) {
	now := time.Now()
	for want, at := range map[string]time.Time{
		"just now": now.Add(-10 * time.Second), "5 min ago": now.Add(-5*time.Minute - time.Second), "3 h ago": now.Add(-3*time.Hour - time.Minute),
		"in 5 min": now.Add(5*time.Minute + 30*time.Second), "in 3 h": now.Add(3 * time.Hour),
	} {
		if got := ago(at); got != want {
			t.Errorf("%s reads %q, want %q", at.Sub(now), got, want)
		}
	}
	if plural(1, "effect") != "1 effect" || plural(0, "effect") != "0 effects" || shorten("Brackwater", 5) != "Brac…" {
		t.Error("words are counted or cut wrongly")
	}
	for lead, want := range map[string]string{"bot": "led by the bot pip", "waiting": "waiting for a person", "person": "led by Robin", "closed": "closed"} {
		if got := ledBy(client.Conversation{Lead: lead, Bot: "pip", Assignee: "Robin"}); got != want {
			t.Errorf("%s reads %q", lead, got)
		}
	}
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	if code := run(ctx, []string{"status", "-server", "http://127.0.0.1:1"}, strings.NewReader(""), &bytes.Buffer{}, &bytes.Buffer{}); code != exitUnreachable {
		t.Errorf("broken off: exit %d", code)
	}
}

// What a terminal would obey is shown, not obeyed, whoever wrote it.
func TestTerminalsAreToldNothing(t *testing.T) {
	evil := "\x1b]0;owned\x07\x1b[31mred\u009b2J\u202ebackwards\rover"
	raw, err := json.Marshal(map[string]any{"items": []map[string]any{{"id": "01990000-0000-7000-8000-00000000aaaa", "channel": "bell", "who": evil, "created_at": time.Now(), "facts": []any{}}}})
	if err != nil {
		t.Fatal(err)
	}
	code, out, _ := parrot(t, map[string]string{"GET /contacts": string(raw)}, "", "contact", "list")
	if code != 0 || strings.ContainsAny(out, "\x1b\x07\u009b\u202e\r") || !strings.Contains(out, "red") {
		t.Errorf("%d: %q", code, out)
	}
	code, out, _ = parrot(t, map[string]string{"GET /contacts": string(raw)}, "", "contact", "list", "-json")
	var back struct{ Items []struct{ Who string } }
	if err := json.Unmarshal([]byte(out), &back); code != 0 || err != nil || strings.ContainsAny(out, "\x1b\u009b\u202e") || back.Items[0].Who != evil {
		t.Errorf("%d, %v: %q", code, err, out)
	}
	var shown bytes.Buffer
	slow := &printable{Writer: &shown}
	for _, b := range []byte("Café €5 🦜\x1b[2J\xff a\tb\r\nc") {
		if _, err := slow.Write([]byte{b}); err != nil {
			t.Fatal(err)
		}
	}
	if got := shown.String(); got != "Café €5 🦜\ufffd[2J\ufffd a\tb\r\nc" {
		t.Errorf("byte by byte it shows %q", got)
	}
}

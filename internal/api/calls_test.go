package api

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/goccy/go-yaml"
	"github.com/santhosh-tekuri/jsonschema/v6"

	"urgentparrot.example/client"
	"urgentparrot.example/internal/engine"
	"urgentparrot.example/internal/store"
)

// Every call but those of signing in is refused to strangers, whatever they show.
func TestStrangersAreRefusedEverywhere(t *testing.T) {
	s := openStage(t)
	link, err := s.workspace.Access.Grant(t.Context(), store.Link, "Eve")
	if err != nil {
		t.Fatal(err)
	}
	for _, r := range routes() {
		if r.open {
			continue
		}
		path := "/api/v1" + strings.NewReplacer(":id", "x", ":kind", "bots", ":name", "front-desk", ":word", "refund").Replace(r.path)
		for what, header := range map[string]string{"nothing": "", "a made-up token": "Bearer pt_main_AAAA", "a token of another workspace": "Bearer pt_other_AAAA", "a sign-in link": "Bearer " + link, "the basic scheme": "Basic cm9iaW46eA=="} {
			if a := s.call(r.method, path, "{}", "Authorization", header); a.StatusCode != http.StatusUnauthorized {
				t.Errorf("%s %s with %s: %d", r.method, path, what, a.StatusCode)
			} else if p := a.problem(t); p.Type != "/problems/not-signed-in" || p.Detail == "" {
				t.Errorf("%s %s says %+v", r.method, path, p)
			}
		}
	}
	if a := s.call(http.MethodGet, "/api/v1/me", nil); a.StatusCode != http.StatusOK || !strings.Contains(a.body, "Robin") {
		t.Errorf("with the token: %d %s", a.StatusCode, a.body)
	}
}

// What a call answers is what the OpenAPI document claims for it.
func TestAnswersAreWhatTheDocumentClaims(t *testing.T) {
	s := openStage(t)
	s.rings("+447700900150", "1", "I'm Ada, ada@example.org. What does a bicycle cost?")
	id := s.rings("+447700900151", "2", "do you run on Christmas Day?")
	s.until("it waits for a person, with a summary", func() bool {
		var c client.Conversation
		s.get("/conversations/"+id, &c)
		return c.Summary != nil
	})
	run := s.hooked()
	document, err := jsonschema.UnmarshalJSON(bytes.NewReader(OpenAPI()))
	if err != nil {
		t.Fatal(err)
	}
	compiler := jsonschema.NewCompiler()
	compiler.AssertFormat()
	if err := compiler.AddResource("mem://openapi.json", document); err != nil {
		t.Fatal(err)
	}
	var messages client.MessagePage
	s.get("/conversations/"+id+"/messages", &messages)
	var contacts client.ContactPage
	s.get("/contacts", &contacts)
	tried := s.call(http.MethodPost, "/api/v1/tools/boats/try", client.ToolTrial{Arguments: map[string]any{"island": "Gannet Holm"}})
	var call client.TriedTool
	if err := json.Unmarshal([]byte(tried.body), &call); err != nil || call.Call.Error != "" || call.Said == "" {
		t.Fatalf("a tried tool: %s, %v", tried.body, err)
	}
	ids := map[string]string{
		"/tool-calls/:id":    call.Call.ID,
		"/conversations/:id": id, "/conversations/:id/messages": id, "/turns/:id": messages.Items[0].Turn, "/contacts/:id": contacts.Items[0].ID, "/contacts/:id/export": contacts.Items[0].ID, "/contacts/:id/merge": contacts.Items[0].ID,
		"/runs/:id": run, "/sources/:id": "boats.md", "/sources/:id/pages": "boats.md", "/sources/:id/passages": "boats.md",
	}
	checked := 0
	for _, r := range routes() {
		if r.method != http.MethodGet || r.media != "" {
			continue
		}
		path := strings.NewReplacer(":id", ids[r.path], ":kind", "bots", ":name", nameFor(r.path), ":word", "refund").Replace(r.path)
		if r.path == "/knowledge/search" {
			path += "?q=what+does+a+bicycle+cost"
		}
		if r.path == "/contacts/:id/merge" {
			path += "?with=" + contacts.Items[1].ID
		}
		a := s.call(http.MethodGet, "/api/v1"+path, nil)
		if a.StatusCode != http.StatusOK {
			t.Errorf("%s: %d %s", path, a.StatusCode, a.body)
			continue
		}
		pointer := "/api/v1" + strings.NewReplacer(":id", "{id}", ":kind", "{kind}", ":name", "{name}", ":word", "{word}").Replace(r.path)
		schema, err := compiler.Compile("mem://openapi.json#/paths/" + strings.NewReplacer("~", "~0", "/", "~1").Replace(pointer) + "/get/responses/200/content/application~1json/schema")
		if err != nil {
			t.Errorf("%s: %v", path, err)
			continue
		}
		body, err := jsonschema.UnmarshalJSON(strings.NewReader(a.body))
		if err == nil {
			err = schema.Validate(body)
		}
		if err != nil {
			t.Errorf("%s: %v\n%s", path, err, a.body)
		}
		checked++
	}
	if checked < 20 {
		t.Errorf("only %d calls were checked", checked)
	}
}

// nameFor is something of the stage that a path may name.
func nameFor(path string) string {
	switch {
	case strings.HasPrefix(path, "/sheets"):
		return "enquiries"
	case path == "/connections/:name/tools":
		return "harbour"
	case strings.HasPrefix(path, "/connections"):
		return "reader"
	case strings.HasPrefix(path, "/flows"):
		return "parcel"
	case strings.HasPrefix(path, "/forms"):
		return "lost"
	}
	return "front-desk"
}

func TestProblemsSayWhatIsWrongAndWhere(t *testing.T) {
	s := openStage(t)
	id := s.rings("+447700900150", "1", "hello")
	for _, c := range []struct {
		method, path, body string
		status             int
		says, field        string
	}{
		{"POST", "/conversations/" + id + "/messages", `{"text":"x"}`, 409, "take it first", ""},
		{"POST", "/conversations/" + id + "/messages", `{"text":" "}`, 422, "the text is empty", "text"},
		{"POST", "/conversations/" + id + "/messages", `{"txt":"x"}`, 422, `unknown field "txt"`, ""},
		{"POST", "/conversations/" + id + "/messages", `{"text":`, 422, "not the JSON", ""},
		{"POST", "/conversations/" + id + "/messages", `{"text":"` + strings.Repeat("x", 8001) + `"}`, 413, "8000", "text"},
		{"POST", "/conversations/" + id + "/messages", `{"text":"` + strings.Repeat("x", bodyLimit) + `"}`, 413, "512 KiB", ""},
		{"POST", "/conversations/nobody/take", `{}`, 404, "nothing of that name", ""},
		{"POST", "/messages/nothing/approve", `{}`, 404, "nothing of that name", ""},
		{"GET", "/conversations?lead=everybody", ``, 422, "lead is one of", "lead"},
		{"GET", "/conversations/" + id + "/messages?cursor=x", ``, 422, "no cursor", "cursor"},
		{"GET", "/turns/x", ``, 404, "nothing of that name", ""},
		{"GET", "/documents/faxes", ``, 404, "the kinds of documents are: settings, connections", "kind"},
		{"GET", "/documents/bots/nobody", ``, 404, `there is no bot called "nobody"`, "name"},
		{"PUT", "/documents/bots/front-desk", `{"text":"bot: front-desk\n"}`, 422, "needs a name", "text"},
		{"DELETE", "/documents/bots/front-desk", ``, 422, "channel bell", ""},
		{"PATCH", "/contacts/x", `{"facts":{"shoe":"1"}}`, 422, `no field called "shoe"`, ""},
		{"PUT", "/connections/nowhere/secret", `{"secret":"x"}`, 404, "nothing of that name", ""},
		{"POST", "/bots/nobody/ask", `{"question":"x"}`, 404, "nothing of that name", ""},
		{"POST", "/knowledge/quiz", `{"questions":"{}"}`, 422, "line 1", "questions"},
		{"POST", "/sources/web", `{"address":"http://127.0.0.1/"}`, 422, "private network", "address"},
		{"POST", "/sources/web", `{"address":"file:///etc/passwd"}`, 422, "", "address"},
		{"POST", "/sources/text", `{"name":"x","text":" "}`, 422, "the text is empty", "text"},
		{"POST", "/sources", `not a form`, 422, "multipart", "file"},
		{"GET", "/lessons?state=odd", ``, 422, "proposed", "state"},
		{"POST", "/effects/x/retry", ``, 404, "nothing of that name", ""},
		{"GET", "/nothing", ``, 404, "nothing at this address", ""},
		{"GET", "/sheets/nothing/rows", ``, 404, "nothing of that name", ""},
	} {
		a := s.call(c.method, "/api/v1"+c.path, c.body)
		if a.StatusCode != c.status {
			t.Errorf("%s %s %.40s: %d %s, want %d", c.method, c.path, c.body, a.StatusCode, a.body, c.status)
			continue
		}
		if p := a.problem(t); !strings.Contains(p.Detail, c.says) || p.Field != c.field || !strings.HasPrefix(p.Type, "/problems/") || p.Title == "" {
			t.Errorf("%s %s %.40s: %+v, want %q in %q", c.method, c.path, c.body, p, c.says, c.field)
		}
	}
	// What is wrong in a document is listed with its places.
	a := s.call(http.MethodPut, "/api/v1/documents/bots/front-desk", map[string]string{"text": "bot: front-desk\nname: Pip\nthreshold: 7\nescalate:\n  on: [boredom]\n"})
	var listed struct{ Problems []client.Problem }
	if err := json.Unmarshal([]byte(a.body), &listed); err != nil || len(listed.Problems) != 2 || listed.Problems[0].Line != 3 || listed.Problems[1].Line != 5 {
		t.Errorf("listed are %+v, %v", listed, err)
	}
}

func TestAnEditIsOfTheVersionThatWasRead(t *testing.T) {
	s := openStage(t)
	read := s.call(http.MethodGet, "/api/v1/documents/bots/front-desk", nil)
	etag := read.Header.Get("ETag")
	text := map[string]string{"text": "bot: front-desk\nname: Polly\n"}
	if a := s.call(http.MethodPut, "/api/v1/documents/bots/front-desk", text, "If-Match", etag); a.StatusCode != 200 || a.Header.Get("ETag") == etag {
		t.Fatalf("%d %s, ETag %s after %s", a.StatusCode, a.body, a.Header.Get("ETag"), etag)
	}
	text["text"] += "title: Late\n"
	if a := s.call(http.MethodPut, "/api/v1/documents/bots/front-desk", text, "If-Match", etag); a.StatusCode != http.StatusConflict {
		t.Errorf("an edit of what was read before: %d", a.StatusCode)
	}
	if a := s.call(http.MethodPut, "/api/v1/documents/bots/front-desk", text, "If-Match", "yesterday"); a.StatusCode != http.StatusUnprocessableEntity {
		t.Errorf("an odd If-Match: %d", a.StatusCode)
	}
	if a := s.call(http.MethodPut, "/api/v1/documents/bots/front-desk", text); a.StatusCode != 200 {
		t.Errorf("without one: %d", a.StatusCode)
	}
	var d client.Document
	s.get("/documents/bots/front-desk", &d)
	if d.Version != 3 || len(d.UsedBy) != 1 || d.UsedBy[0] != "channel bell" {
		t.Errorf("kept is %+v", d)
	}
	if a := s.call(http.MethodPost, "/api/v1/documents/teams/crew/check", map[string]string{"text": "team: crew\n"}); a.StatusCode != 200 || !strings.Contains(a.body, `"problems":[]`) {
		t.Errorf("a check: %d %s", a.StatusCode, a.body)
	}
	if a := s.call(http.MethodGet, "/api/v1/documents/teams/crew", nil); a.StatusCode != http.StatusNotFound {
		t.Errorf("a check kept something: %d", a.StatusCode)
	}
}

// A reply that is sent again under its key is not said twice.
func TestARepeatIsHarmless(t *testing.T) {
	s := openStage(t)
	id := s.rings("+447700900150", "1", "hello")
	s.call(http.MethodPost, "/api/v1/conversations/"+id+"/take", nil)
	var said []client.Message
	for range 3 {
		a := s.call(http.MethodPost, "/api/v1/conversations/"+id+"/messages", client.Reply{Text: "This is Robin."}, "Idempotency-Key", "k")
		var m client.Message
		if err := json.Unmarshal([]byte(a.body), &m); a.StatusCode != http.StatusCreated || err != nil {
			t.Fatalf("%d %s", a.StatusCode, a.body)
		}
		said = append(said, m)
	}
	if said[0].ID != said[1].ID || said[1].ID != said[2].ID {
		t.Errorf("said were %+v", said)
	}
	s.until("it is carried", func() bool { return len(s.bell.Sent()) == 2 })
}

// Whoever reads the stream on from the last event they saw misses none.
func TestTheEventStreamIsResumed(t *testing.T) {
	s := openStage(t)
	follow := func(last string) (*bufio.Scanner, context.CancelFunc) {
		t.Helper()
		ctx, cancel := context.WithTimeout(t.Context(), 20*time.Second)
		r, err := http.NewRequestWithContext(ctx, http.MethodGet, s.URL+"/api/v1/events", nil)
		if err != nil {
			t.Fatal(err)
		}
		r.Header.Set("Authorization", "Bearer "+s.token)
		if last != "" {
			r.Header.Set("Last-Event-ID", last)
		}
		response, err := http.DefaultClient.Do(r)
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(func() { cancel(); response.Body.Close() })
		lines := bufio.NewScanner(response.Body)
		lines.Buffer(nil, 1<<20)
		lines.Scan() // retry
		return lines, cancel
	}
	next := func(lines *bufio.Scanner) (e client.Event) {
		t.Helper()
		for lines.Scan() {
			if data, ok := strings.CutPrefix(lines.Text(), "data:"); ok {
				if err := json.Unmarshal([]byte(data), &e); err != nil {
					t.Fatal(err)
				}
				return e
			}
		}
		t.Fatalf("the stream ended: %v", lines.Err())
		return e
	}
	lines, stop := follow("")
	id := s.rings("+447700900150", "1", "what does a bicycle cost?")
	first := next(lines)
	if first.Type != "urgent-parrot.message.received" || first.SpecVersion != "1.0" || first.Subject != id || first.Source != "/workspaces/main" || first.Data["conversation"] != id {
		t.Errorf("the first event is %+v", first)
	}
	stop()
	// While nobody listens something happens.
	s.rings("+447700900151", "2", "hello")
	var again []string
	lines, _ = follow(first.ID)
	for len(again) < 3 {
		e := next(lines)
		again = append(again, e.Type)
		if e.ID <= first.ID && len(e.ID) <= len(first.ID) {
			t.Errorf("after %s came %s", first.ID, e.ID)
		}
	}
	if got := strings.Join(again, " "); !strings.Contains(got, "turn.decided") || !strings.Contains(got, "message.received") {
		t.Errorf("missed were %s", got)
	}
}

// Only the service's own pages may use the cookie.
func TestACookieCountsForOwnPagesOnly(t *testing.T) {
	s := openStage(t)
	link, err := s.workspace.Access.Grant(t.Context(), store.Link, "Kim")
	if err != nil {
		t.Fatal(err)
	}
	signIn := func() response {
		return s.call(http.MethodPost, "/api/v1/sessions", client.SignIn{Code: link, Name: "Kim Vale"}, "Authorization", "")
	}
	a := signIn()
	cookies := a.Cookies()
	if a.StatusCode != http.StatusCreated || len(cookies) != 1 || !cookies[0].HttpOnly || !cookies[0].Secure || cookies[0].SameSite != http.SameSiteLaxMode {
		t.Fatalf("%d, cookies %+v", a.StatusCode, cookies)
	}
	if again := signIn(); again.StatusCode != http.StatusUnauthorized {
		t.Errorf("the link signs in twice: %d", again.StatusCode)
	}
	cookie := cookies[0].Name + "=" + cookies[0].Value
	for _, c := range []struct {
		method, site string
		status       int
	}{{"GET", "same-origin", 200}, {"POST", "same-origin", 201}, {"POST", "cross-site", 403}, {"POST", "same-site", 403}} {
		path := map[string]string{"GET": "/api/v1/me", "POST": "/api/v1/house-answers"}[c.method]
		a := s.call(c.method, path, map[string]string{"question": "q?", "answer": "a."}, "Authorization", "", "Cookie", cookie, "Sec-Fetch-Site", c.site)
		if a.StatusCode != c.status {
			t.Errorf("%s from a page that is %s: %d %s", c.method, c.site, a.StatusCode, a.body)
		}
	}
	if a := s.call(http.MethodGet, "/api/v1/me", nil, "Authorization", "Bearer "+cookies[0].Value); a.StatusCode != http.StatusUnauthorized {
		t.Errorf("a session is taken for a token: %d", a.StatusCode)
	}
	s.clock.Walk(engine.SessionLife + time.Hour)
	if a := s.call(http.MethodGet, "/api/v1/me", nil, "Authorization", "", "Cookie", cookie); a.StatusCode != http.StatusUnauthorized {
		t.Errorf("after its time a session gets %d", a.StatusCode)
	}
}

// What outsiders reach: channels at the paths of their kinds, health, and the
// console's files, and nothing else.
func TestWhatOutsidersReach(t *testing.T) {
	s := openStage(t)
	for path, status := range map[string]int{
		"/healthz": 200, "/readyz": 200, "/api/openapi.json": 200, "/": 200, "/inbox/anything": 200, "/knowledge/gaps": 200,
		"/assets/../../etc/passwd":     200, // the console's own page, which says that there is none
		"/assets/../../etc/passwd.txt": 404, "/nothing.js": 404, "/api/v2/me": 404, "/chat/other/website/": 404, "/chat/main/bell/": 404, "/hooks/main/nothing": 404,
	} {
		a := s.call(http.MethodGet, path, nil, "Authorization", "")
		if a.StatusCode != status {
			t.Errorf("%s: %d, want %d", path, a.StatusCode, status)
		}
		if status == 404 {
			a.problem(t)
		}
	}
	a := s.call(http.MethodGet, "/inbox", nil, "Authorization", "")
	if kind := a.Header.Get("Content-Type"); kind != "text/html; charset=utf-8" || !strings.Contains(a.Header.Get("Content-Security-Policy"), "frame-ancestors 'none'") || a.Header.Get("X-Content-Type-Options") != "nosniff" {
		t.Errorf("the console is served as %q with %v", kind, a.Header)
	}
	if a := s.call(http.MethodPost, "/inbox", "{}", "Authorization", ""); a.StatusCode != http.StatusNotFound {
		t.Errorf("a POST to a page: %d", a.StatusCode)
	}
}

func TestAContactIsChangedByAPerson(t *testing.T) {
	s := openStage(t)
	s.rings("+447700900150", "1", "I'm Ada, ada@example.org")
	var page client.ContactPage
	s.get("/contacts", &page)
	id := page.Items[0].ID
	if page.Items[0].Who != "Ada" || len(page.Items[0].Facts) != 2 || page.Items[0].Facts[0].Label != "Name" || page.Items[0].Facts[0].Verified {
		t.Errorf("the contact is %+v", page.Items[0])
	}
	stage := "enquiry"
	a := s.call(http.MethodPatch, "/api/v1/contacts/"+id, client.ContactChange{Facts: map[string]string{"health": "allergic to nuts", "name": "Ada Brill"}, Stage: &stage, Tags: &[]string{"group"}})
	var c client.Contact
	if err := json.Unmarshal([]byte(a.body), &c); err != nil || a.StatusCode != 200 {
		t.Fatalf("%d %s", a.StatusCode, a.body)
	}
	if c.Who != "Ada Brill" || c.Stage != "enquiry" || len(c.Tags) != 1 || len(c.Facts) != 3 || !c.Facts[0].Verified || c.Facts[0].VerifiedBy != "Robin" || !c.Facts[2].Sensitive {
		t.Errorf("the contact is %+v", c)
	}
	var declared client.Declared
	s.get("/fields", &declared)
	if len(declared.Fields) != 3 || declared.Fields[2].Type != "text" || declared.Stages[0].Label != "Enquiry" || declared.Tags[0] != "group" {
		t.Errorf("declared are %+v", declared)
	}
}

func TestKindsAndSchemasFollowTheTable(t *testing.T) {
	s := openStage(t)
	var kinds client.DocumentKindPage
	s.get("/documents", &kinds)
	if len(kinds.Items) < 9 || !kinds.Items[0].Only {
		t.Errorf("the kinds are %+v", kinds.Items)
	}
	for _, kind := range kinds.Items {
		a := s.call(http.MethodGet, "/api/v1/schemas/"+kind.Plural, nil)
		schema, err := jsonschema.UnmarshalJSON(strings.NewReader(a.body))
		if a.StatusCode != 200 || err != nil {
			t.Fatalf("%s: %d, %v", kind.Plural, a.StatusCode, err)
		}
		compiler := jsonschema.NewCompiler()
		if err := compiler.AddResource("mem://schema.json", schema); err != nil {
			t.Fatal(err)
		}
		compiled, err := compiler.Compile("mem://schema.json")
		if err != nil {
			t.Errorf("%s: %v", kind.Plural, err)
			continue
		}
		var right any
		if err := yaml.Unmarshal([]byte(kind.Example), &right); err != nil {
			t.Fatal(err)
		}
		raw, _ := json.Marshal(right)
		if right, err = jsonschema.UnmarshalJSON(bytes.NewReader(raw)); err != nil {
			t.Fatal(err)
		}
		if err := compiled.Validate(right); err != nil {
			t.Errorf("%s: its example: %v", kind.Plural, err)
		}
		for what, wrong := range map[string]any{"another key": map[string]any{kind.Name: "x", "no_such_key": 1}, "no name": map[string]any{}, "a list": []any{}} {
			if compiled.Validate(wrong) == nil {
				t.Errorf("%s: %s is taken", kind.Plural, what)
			}
		}
	}
	if !strings.Contains(fmt.Sprint(noun("").Enum()...), "bots") {
		t.Error("the OpenAPI document does not list bots")
	}
}

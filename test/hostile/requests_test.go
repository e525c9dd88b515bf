package hostile

import (
	"bufio"
	"encoding/json"
	"fmt"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"urgentparrot.example/internal/engine"
	"urgentparrot.example/internal/service"
	"urgentparrot.example/internal/store"
)

// Every call that is in the API's document is refused to strangers, whatever they show.
func TestStrangers(t *testing.T) {
	var doc struct {
		Paths map[string]map[string]struct{ Security []any }
	}
	if err := json.Unmarshal([]byte(under.asks(t, http.MethodGet, "/api/openapi.json", nil, "Authorization", "").body), &doc); err != nil {
		t.Fatal(err)
	}
	n := 0
	for path, methods := range doc.Paths {
		for method := range methods {
			method = strings.ToUpper(method)
			if method == "POST" && (path == "/sessions" || path == "/tokens") || !strings.HasPrefix(path, "/") {
				continue
			}
			address := "/api/v1" + strings.TrimPrefix(strings.NewReplacer("{id}", "1", "{name}", "front-desk", "{kind}", "bots").Replace(path), "/api/v1")
			for _, pass := range []string{"", "Bearer ", "Bearer pt_brackwater_", "Bearer pt_brackwater_" + strings.Repeat("A", 52), "Basic cm9iaW46cm9iaW4="} {
				n++
				a := under.asks(t, method, address, nil, "Authorization", pass)
				a.honest(t)
				if a.StatusCode != http.StatusUnauthorized && a.StatusCode != http.StatusForbidden {
					t.Errorf("%s %s with %q: %d", method, address, pass, a.StatusCode)
				}
			}
		}
	}
	if n < 200 {
		t.Errorf("only %d were tried", n)
	}
}

// Requests of odd kinds are answered with what is wrong, and nothing of the inside.
func TestRequests(t *testing.T) {
	link, err := under.Workspaces[service.DemoWorkspace].Access.Grant(t.Context(), store.Link, "Kim")
	if err != nil {
		t.Fatal(err)
	}
	signedIn := under.asks(t, http.MethodPost, "/api/v1/sessions", strings.NewReader(`{"code":"`+link+`"}`), "Authorization", "")
	cookie := signedIn.Cookies()[0].Name + "=" + signedIn.Cookies()[0].Value
	big := strings.Repeat("x", 1<<20)
	for name, c := range map[string]struct {
		method, path, body string
		header             []string
		status             string // those that may come, parted by spaces
	}{
		"no JSON":                   {"POST", "/api/v1/house-answers", `{"question":`, nil, "422"},
		"a number for a text":       {"POST", "/api/v1/house-answers", `{"question":7}`, nil, "422"},
		"a key that is none":        {"POST", "/api/v1/house-answers", `{"q":"a"}`, nil, "422"},
		"a list for an object":      {"POST", "/api/v1/house-answers", `[]`, nil, "422"},
		"null":                      {"POST", "/api/v1/house-answers", `null`, nil, "422"},
		"objects in objects":        {"POST", "/api/v1/house-answers", strings.Repeat(`{"question":`, 50_000), nil, "422 413"},
		"lists in lists":            {"POST", "/api/v1/knowledge/quiz", `{"questions":` + strings.Repeat(`[`, 50_000), nil, "422 413"},
		"a large body":              {"POST", "/api/v1/house-answers", `{"question":"` + big + `"}`, nil, "413"},
		"a long question":           {"POST", "/api/v1/bots/front-desk/ask", `{"question":"` + strings.Repeat("x", 4001) + `"}`, nil, "413"},
		"an empty question":         {"POST", "/api/v1/bots/front-desk/ask", `{"question":" \t"}`, nil, "422"},
		"a bot of no name":          {"POST", "/api/v1/bots/%2e%2e%2fetc/ask", `{"question":"boat?"}`, nil, "404"},
		"half a letter":             {"POST", "/api/v1/bots/front-desk/ask", "{\"question\":\"\xff\xfe boat?\"}", nil, "200 422"},
		"a letter of nothing":       {"POST", "/api/v1/bots/front-desk/ask", `{"question":"\u0000 boat?"}`, nil, "200 422"},
		"no type":                   {"POST", "/api/v1/house-answers", `{}`, []string{"Content-Type", ""}, "422"},
		"as text":                   {"POST", "/api/v1/house-answers", `{"question":"a","answer":"b"}`, []string{"Content-Type", "text/plain"}, "422"},
		"as a form":                 {"POST", "/api/v1/house-answers", `question=a`, []string{"Content-Type", "application/x-www-form-urlencoded"}, "422"},
		"a form without a border":   {"POST", "/api/v1/sources", `x`, []string{"Content-Type", "multipart/form-data"}, "422"},
		"a form of another border":  {"POST", "/api/v1/sources", "--a\r\n\r\nx", []string{"Content-Type", "multipart/form-data; boundary=b"}, "422"},
		"a form without a file":     {"POST", "/api/v1/sources", "--b\r\nContent-Disposition: form-data; name=\"name\"\r\n\r\nx.md\r\n--b--\r\n", []string{"Content-Type", "multipart/form-data; boundary=b"}, "422"},
		"a method that is none":     {"PATCH", "/api/v1/today", `{}`, nil, "404 405"},
		"TRACE":                     {"TRACE", "/api/v1/today", "", nil, "404 405"},
		"an address that is none":   {"GET", "/api/v1/nothing", "", nil, "404"},
		"an id that is none":        {"GET", "/api/v1/conversations/'%20OR%201=1--", "", nil, "404"},
		"an id of nothing":          {"GET", "/api/v1/conversations/%00", "", nil, "404"},
		"a long id":                 {"GET", "/api/v1/conversations/" + strings.Repeat("a", 30_000), "", nil, "404"},
		"a path that climbs":        {"GET", "/..%2f..%2fetc/passwd", "", nil, "404 200"},
		"one that climbs by dots":   {"GET", "/assets/../../../../etc/passwd", "", nil, "404 200 301"},
		"the key":                   {"GET", "/key", "", nil, "200 404"},
		"a channel that climbs":     {"GET", "/chat/..%2f../website/", "", nil, "404"},
		"another workspace":         {"GET", "/chat/other/website/", "", nil, "404"},
		"a cursor that is none":     {"GET", "/api/v1/conversations?cursor=%00%ff'", "", nil, "200 422"},
		"messages before nothing":   {"GET", "/api/v1/conversations/1/messages?cursor=-9999999999999999999999", "", nil, "404 422"},
		"a search of wildcards":     {"GET", "/api/v1/conversations?search=%25%25%25_%5C", "", nil, "200"},
		"a long search":             {"GET", "/api/v1/conversations?search=" + strings.Repeat("a%25", 10_000), "", nil, "200 422 413 414"},
		"a long question to find":   {"GET", "/api/v1/knowledge/search?q=" + strings.Repeat("a+", 15_000), "", nil, "200 413 422"},
		"a lead that is none":       {"GET", "/api/v1/conversations?lead='--", "", nil, "200 422"},
		"a kind that is none":       {"GET", "/api/v1/documents/..%2fsecrets", "", nil, "404"},
		"a name that climbs":        {"PUT", "/api/v1/documents/bots/..%2f..%2fx", `{"text":"bot: x\nname: y\n"}`, nil, "422"},
		"a version that is none":    {"PUT", "/api/v1/documents/bots/x", `{"text":"bot: x\nname: y\n"}`, []string{"If-Match", "'; --"}, "412 422 409"},
		"a long key of repetition":  {"POST", "/api/v1/conversations/1/messages", `{"text":"a"}`, []string{"Idempotency-Key", strings.Repeat("k", 20_000)}, "404 409 422 413"},
		"an event that is none":     {"GET", "/api/v1/turns/x", "", []string{"Last-Event-ID", "99999999999999999999"}, "404"},
		"a cookie of another page":  {"POST", "/api/v1/house-answers", `{"question":"a","answer":"b"}`, []string{"Authorization", "", "Cookie", cookie, "Origin", "https://bad.example"}, "403"},
		"a cookie of nowhere":       {"POST", "/api/v1/house-answers", `{"question":"a","answer":"b"}`, []string{"Authorization", "", "Cookie", cookie}, "403"},
		"the same as text":          {"POST", "/api/v1/house-answers", `{"question":"a","answer":"b"}`, []string{"Authorization", "", "Cookie", cookie, "Content-Type", "text/plain"}, "403"},
		"a sister site":             {"DELETE", "/api/v1/sessions", "", []string{"Authorization", "", "Cookie", cookie, "Sec-Fetch-Site", "same-site"}, "403"},
		"the cookie as a token":     {"GET", "/api/v1/me", "", []string{"Authorization", "Bearer " + signedIn.Cookies()[0].Value}, "401"},
		"the token as a cookie":     {"GET", "/api/v1/me", "", []string{"Authorization", "", "Cookie", signedIn.Cookies()[0].Name + "=" + under.client.Token}, "401"},
		"a used link":               {"POST", "/api/v1/sessions", `{"code":"` + link + `"}`, []string{"Authorization", ""}, "401"},
		"a link of another place":   {"POST", "/api/v1/sessions", `{"code":"pt_..%2f_A"}`, []string{"Authorization", ""}, "401"},
		"a long name":               {"POST", "/api/v1/tokens", `{"name":"` + strings.Repeat("n", 81) + `"}`, nil, "413"},
		"another's address":         {"POST", "/api/v1/sources/web", `{"address":"http://127.0.0.1:1/"}`, nil, "422"},
		"the machine's own":         {"POST", "/api/v1/sources/web", `{"address":"http://[::1]/"}`, nil, "422"},
		"the cloud's own":           {"POST", "/api/v1/sources/web", `{"address":"http://169.254.169.254/latest"}`, nil, "422"},
		"by a number":               {"POST", "/api/v1/sources/web", `{"address":"http://2130706433/"}`, nil, "422 201"},
		"a file":                    {"POST", "/api/v1/sources/web", `{"address":"file:///etc/passwd"}`, nil, "422"},
		"with a password":           {"POST", "/api/v1/sources/web", `{"address":"http://a:b@example.org/"}`, nil, "422"},
		"odd memory":                {"POST", "/api/v1/bots/front-desk/trial", `{"message":"hello","before":{"memory":{"":"x"}}}`, nil, "422"},
		"odd memory of a field":     {"POST", "/api/v1/bots/front-desk/trial", `{"message":"hello","before":{"memory":{"email":"x"}}}`, nil, "422"},
		"an odd state":              {"POST", "/api/v1/bots/front-desk/trial", `{"message":"the second","before":{"lead":"bot","memory":{},"state":{"choice":{"question":"q","options":[]},"replies":-9,"open":{"tool":"timetable","missing":"to"}}}}`, nil, "200"},
		"an odd state that answers": {"POST", "/api/v1/bots/front-desk/trial", `{"message":"gannet holm","before":{"lead":"bot","memory":{},"state":{"open":{"tool":"timetable","missing":"to","arguments":null}}}}`, nil, "200"},
		"a brief of nothing":        {"POST", "/api/v1/bots/front-desk/trial", `{"message":"hello","brief":"["}`, nil, "422"},
		"a quiz of nothing":         {"POST", "/api/v1/knowledge/quiz", `{"questions":[{}]}`, nil, "422 200"},
		"a fact that is none":       {"PATCH", "/api/v1/contacts/1", `{"facts":{"'":"x"}}`, nil, "404 422"},
		"an interval below nothing": {"POST", "/api/v1/sources/web", `{"address":"https://example.org/","every_minutes":-5}`, nil, "422"},
		"an interval of ages":       {"POST", "/api/v1/sources/web", `{"address":"https://example.org/","every_minutes":99999999999}`, nil, "422"},
		"an effect that is none":    {"POST", "/api/v1/effects/x/retry", `{}`, nil, "404"},
		"a token that is none":      {"DELETE", "/api/v1/tokens/'%20OR%201=1", "", nil, "404"},
		"a visitor without a token": {"POST", "/chat/brackwater/website/messages", `{"id":"1","text":"hello"}`, []string{"Authorization", ""}, "401"},
		"a visitor's made-up one":   {"POST", "/chat/brackwater/website/messages", `{"id":"1","text":"hello"}`, []string{"Authorization", "Bearer YWJj.AAAA"}, "401"},
		"a ticket that is none":     {"GET", "/chat/brackwater/website/stream?ticket=YWJj.AAAA", "", nil, "401"},
		"another page's chat":       {"POST", "/chat/brackwater/website/visitors", `{}`, []string{"Origin", "https://bad.example"}, "403"},
		"a hook of no line":         {"POST", "/hooks/brackwater/website", `{}`, nil, "404"},
		"a hook of nothing":         {"POST", "/hooks/brackwater/text-line", "", nil, "401 422 400"},
	} {
		t.Run(name, func(t *testing.T) {
			a := under.asks(t, c.method, c.path, strings.NewReader(c.body), c.header...)
			if a.StatusCode >= 400 {
				a.honest(t)
			}
			if !strings.Contains(c.status, fmt.Sprint(a.StatusCode)) {
				t.Errorf("answered %d: %.300s, want %s", a.StatusCode, a.body, c.status)
			}
			for _, inner := range []string{"root:x:0", "whsec_"} {
				if strings.Contains(a.body, inner) {
					t.Errorf("the answer holds %q", inner)
				}
			}
		})
	}
	if sources, err := under.client.Sources(t.Context()); err == nil {
		for _, s := range sources.Items {
			if strings.Contains(s.Address, "2130706433") {
				if err := under.client.RemoveSource(t.Context(), s.ID); err != nil {
					t.Error(err)
				}
			}
		}
	}
	under.stands(t)
}

// Connections that say nothing, or a little, hold nobody up, and end by themselves.
func TestIdleConnections(t *testing.T) {
	const each = 60
	heads := map[string]string{
		"nothing":         "",
		"half a head":     "GET /api/v1/today HTTP/1.1\r\nHost: x\r\nX-",
		"half a body":     "POST /api/v1/house-answers HTTP/1.1\r\nHost: x\r\nAuthorization: Bearer " + under.client.Token + "\r\nContent-Type: application/json\r\nContent-Length: 9999\r\n\r\n{",
		"half a chunk":    "POST /chat/brackwater/website/visitors HTTP/1.1\r\nHost: x\r\nTransfer-Encoding: chunked\r\n\r\nff\r\n{",
		"half a hook":     "POST /hooks/brackwater/text-line HTTP/1.1\r\nHost: x\r\nContent-Length: 500\r\n\r\n{",
		"half an upload":  "POST /api/v1/sources HTTP/1.1\r\nHost: x\r\nAuthorization: Bearer " + under.client.Token + "\r\nContent-Type: multipart/form-data; boundary=b\r\nContent-Length: 5000\r\n\r\n--b\r\n",
		"two lengths":     "POST /api/v1/tokens HTTP/1.1\r\nHost: x\r\nContent-Length: 5\r\nContent-Length: 9\r\n\r\n12345",
		"length and more": "POST /api/v1/tokens HTTP/1.1\r\nHost: x\r\nContent-Length: 5\r\nTransfer-Encoding: chunked\r\n\r\n0\r\n\r\nGET /api/v1/me HTTP/1.1\r\nHost: x\r\nConnection: close\r\n\r\n",
	}
	conns := map[string][]net.Conn{}
	for name, head := range heads {
		for range each {
			conn, err := net.Dial("tcp", strings.TrimPrefix(under.PublicURL, "http://"))
			if err != nil {
				t.Fatal(err)
			}
			defer conn.Close()
			if _, err := conn.Write([]byte(head)); err != nil {
				t.Fatal(err)
			}
			conns[name] = append(conns[name], conn)
		}
	}
	begun := time.Now()
	under.stands(t)
	if took := time.Since(begun); took > 5*time.Second {
		t.Errorf("meanwhile others wait %s", took)
	}
	for name := range heads {
		t.Run(name, func(t *testing.T) {
			for _, conn := range conns[name] {
				if err := conn.SetReadDeadline(begun.Add(20 * time.Second)); err != nil {
					t.Fatal(err)
				}
				var err error
				for r := bufio.NewReader(conn); err == nil; {
					_, err = r.ReadByte()
				}
				if os.IsTimeout(err) {
					t.Fatal("it is still held after 20 s")
				}
			}
		})
	}
}

// What is not a name of a workspace makes none, and nothing outside of the data folder.
func TestNamesOfWorkspaces(t *testing.T) {
	if _, err := os.Stat(filepath.Join(under.data, service.DemoWorkspace, "parrot.db")); err != nil {
		t.Errorf("in a folder with an odd name the records are elsewhere: %v", err)
	}
	for _, name := range []string{"..", "../up", "my_shop", "My Shop", "a/b", ".", "-x", strings.Repeat("a", 41), "a\x00b", "%2e%2e", "ü"} {
		t.Run(fmt.Sprintf("%.20q", name), func(t *testing.T) {
			outer := t.TempDir()
			data := filepath.Join(outer, "data")
			s, err := service.Start(t.Context(), service.Options{Data: data, Listen: "127.0.0.1:0", Workspace: name, Engine: engine.Options{}})
			if err == nil {
				_ = s.Close()
				t.Error("it was made")
			}
			entries, err := os.ReadDir(outer)
			if err != nil {
				t.Fatal(err)
			}
			for _, e := range entries {
				if e.Name() != "data" {
					t.Errorf("%s was written outside", e.Name())
				}
			}
		})
	}
}

// A secret stays where it was set for, and is not repeated.
func TestSecretsStay(t *testing.T) {
	const secret = "a-token-of-the-timetable"
	if err := under.client.PutSecret(t.Context(), "timetable", secret); err != nil {
		t.Fatal(err)
	}
	doc, err := under.client.Document(t.Context(), "connections", "timetable")
	if err != nil {
		t.Fatal(err)
	}
	var seen []string
	other := listener(t, func(r *http.Request) { seen = append(seen, r.Header.Get("Authorization")) })
	moved := strings.Replace(doc.Text, under.WorldURL, other, 1)
	if moved == doc.Text {
		t.Fatalf("the address is not in %q", doc.Text)
	}
	a := under.asks(t, http.MethodPut, "/api/v1/documents/connections/timetable", body(t, map[string]string{"text": moved}))
	a.honest(t)
	under.texts(t, under.phone(), "When is the next boat to Gannet Holm?")
	for _, header := range seen {
		if strings.Contains(header, secret) {
			t.Error("the new address was sent the old secret")
		}
	}
	status := under.asks(t, http.MethodGet, "/api/v1/status", nil)
	if !strings.Contains(status.body, "set the secret again") || strings.Contains(status.body, secret) {
		t.Errorf("the status says %.500s", status.body)
	}
	under.asks(t, http.MethodPut, "/api/v1/documents/connections/timetable", body(t, map[string]string{"text": doc.Text}))
	for _, path := range []string{"/api/v1/status", "/api/v1/today", "/api/v1/documents/connections", "/api/v1/documents/connections/timetable", "/api/v1/tokens"} {
		if strings.Contains(under.asks(t, http.MethodGet, path, nil).body, secret) {
			t.Errorf("%s shows the secret", path)
		}
	}
	if reply := under.texts(t, under.phone(), "When is the next boat to Gannet Holm?"); !strings.Contains(reply, "Gannet Holm leaves") {
		t.Errorf("at its old address the timetable answers %q", reply)
	}
}

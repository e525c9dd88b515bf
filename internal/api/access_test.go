package api

import (
	"bufio"
	"fmt"
	"net"
	"net/http"
	"net/netip"
	"strings"
	"testing"
	"time"

	"urgentparrot.example/client"
	"urgentparrot.example/internal/engine"
	"urgentparrot.example/internal/store"
)

// signedIn signs in to the console, and returns the cookie.
func (s *stage) signedIn(name string) string {
	s.t.Helper()
	link, err := s.workspace.Access.Grant(s.t.Context(), store.Link, name)
	if err != nil {
		s.t.Fatal(err)
	}
	a := s.call(http.MethodPost, "/api/v1/sessions", client.SignIn{Code: link}, "Authorization", "")
	if len(a.Cookies()) != 1 {
		s.t.Fatalf("%d %s", a.StatusCode, a.body)
	}
	return a.Cookies()[0].Name + "=" + a.Cookies()[0].Value
}

// own is the header of requests that the console makes.
func own(cookie string) []string {
	return []string{"Authorization", "", "Cookie", cookie, "Sec-Fetch-Site", "same-origin"}
}

// streams opens the event stream, and returns what tells that it has ended.
func (s *stage) streams(header ...string) <-chan struct{} {
	s.t.Helper()
	r, err := http.NewRequestWithContext(s.t.Context(), http.MethodGet, s.URL+"/api/v1/events", nil)
	if err != nil {
		s.t.Fatal(err)
	}
	for i := 0; i < len(header); i += 2 {
		r.Header.Set(header[i], header[i+1])
	}
	response, err := http.DefaultTransport.RoundTrip(r)
	if err != nil || response.StatusCode != http.StatusOK {
		s.t.Fatalf("%v, %v", response, err)
	}
	lines := bufio.NewReader(response.Body)
	if _, err := lines.ReadString('\n'); err != nil {
		s.t.Fatal(err)
	}
	ended := make(chan struct{})
	go func() {
		defer close(ended)
		defer response.Body.Close()
		for {
			if _, err := lines.ReadString('\n'); err != nil {
				return
			}
		}
	}()
	return ended
}

func (s *stage) ends(what string, stream <-chan struct{}, ends bool) {
	s.t.Helper()
	wait := 200 * time.Millisecond
	if ends {
		wait = 10 * time.Second
	}
	select {
	case <-stream:
		if !ends {
			s.t.Errorf("%s: the stream has ended", what)
		}
	case <-time.After(wait):
		if ends {
			s.t.Errorf("%s: the stream goes on", what)
		}
	}
}

// Who may come in is listed; what is revoked, signed out or expired ends at once, and
// its stream with it, and no other.
func TestAccessIsRevoked(t *testing.T) {
	s := openStage(t)
	robin, kim, ann := s.signedIn("Robin"), s.signedIn("Kim"), s.signedIn("Ann")
	program, err := s.workspace.Access.Grant(t.Context(), store.Token, "till")
	if err != nil {
		t.Fatal(err)
	}
	robins, kims, anns, programs := s.streams("Cookie", robin), s.streams("Cookie", kim), s.streams("Cookie", ann), s.streams("Authorization", "Bearer "+program)
	var list client.TokenList
	s.get("/tokens", &list)
	ids := map[string]string{}
	for _, token := range list.Items {
		ids[token.Name+" "+token.Kind] = token.ID
		if strings.Contains(program, token.ID) || (token.UsedAt == nil) != (token.Name == "Robin" && token.Kind == "link") {
			t.Errorf("%+v", token)
		}
		if token.Yours != (token.Name == "Robin" && token.Kind == "token") {
			t.Errorf("%s is said to be the one that asks: %v", token.Name, token.Yours)
		}
	}
	if len(list.Items) != 5 {
		t.Fatalf("%d may come in: %v", len(list.Items), ids)
	}
	if a := s.call(http.MethodDelete, "/api/v1/tokens/"+ids["till token"], nil); a.StatusCode != http.StatusNoContent {
		t.Errorf("revoked with %d %s", a.StatusCode, a.body)
	}
	s.ends("the program's", programs, true)
	if a := s.call(http.MethodGet, "/api/v1/me", nil, "Authorization", "Bearer "+program); a.StatusCode != http.StatusUnauthorized {
		t.Errorf("a revoked token gets %d", a.StatusCode)
	}
	if a := s.call(http.MethodDelete, "/api/v1/tokens/"+ids["till token"], nil); a.StatusCode != http.StatusNotFound {
		t.Errorf("revoked again with %d", a.StatusCode)
	}
	if a := s.call(http.MethodDelete, "/api/v1/sessions", nil, own(kim)...); a.StatusCode != http.StatusNoContent || a.Cookies()[0].MaxAge >= 0 {
		t.Errorf("signed out with %d", a.StatusCode)
	}
	s.ends("Kim's", kims, true)
	if a := s.call(http.MethodDelete, "/api/v1/sessions", nil, own(kim)...); a.StatusCode != http.StatusUnauthorized {
		t.Errorf("signed out again with %d", a.StatusCode)
	}
	s.ends("Robin's", robins, false)
	s.ends("Ann's", anns, false)
	s.clock.Walk(engine.SessionLife + time.Minute)
	s.ends("Ann's, expired,", anns, true)
	if a := s.call(http.MethodDelete, "/api/v1/sessions", nil); a.StatusCode != http.StatusNoContent {
		t.Errorf("a token signs out with %d", a.StatusCode)
	}
	if a := s.call(http.MethodGet, "/api/v1/me", nil); a.StatusCode != http.StatusUnauthorized {
		t.Errorf("a token that signed out gets %d", a.StatusCode)
	}
}

// A sign-in that is refused uses nothing up.
func TestARefusedSignInKeepsTheLink(t *testing.T) {
	s := openStage(t)
	link, err := s.workspace.Access.Grant(t.Context(), store.Link, "Kim")
	if err != nil {
		t.Fatal(err)
	}
	for _, path := range []string{"/sessions", "/tokens"} {
		if a := s.call(http.MethodPost, "/api/v1"+path, client.SignIn{Code: link, Name: strings.Repeat("x", 81)}, "Authorization", ""); a.StatusCode != http.StatusRequestEntityTooLarge {
			t.Errorf("%s: %d %s", path, a.StatusCode, a.body)
		}
	}
	if a := s.call(http.MethodPost, "/api/v1/sessions", client.SignIn{Code: link, Name: "Kim"}, "Authorization", ""); a.StatusCode != http.StatusCreated {
		t.Errorf("after a refusal the link gets %d", a.StatusCode)
	}
	for _, code := range []string{"pt", "pt_", "pt__", "pt_main", "pt_main_", "pt_other_" + strings.Repeat("A", 52), "pt_../main_A", link + "A", strings.ToLower(link)} {
		if a := s.call(http.MethodPost, "/api/v1/sessions", client.SignIn{Code: code}, "Authorization", ""); a.StatusCode != http.StatusUnauthorized {
			t.Errorf("%q: %d", code, a.StatusCode)
		}
	}
}

// The cookie changes nothing unless the browser says that the service's own page asks,
// and bodies are JSON.
func TestAForeignPageChangesNothing(t *testing.T) {
	s := openStage(t)
	cookie := s.signedIn("Robin")
	const body = `{"question":"q?","answer":"a."}`
	for what, c := range map[string]struct {
		header []string
		status int
	}{
		"neither origin nor site":       {[]string{"Content-Type", "application/json"}, 403},
		"as text, neither":              {[]string{"Content-Type", "text/plain"}, 403},
		"as text, own page":             {[]string{"Content-Type", "text/plain", "Sec-Fetch-Site", "same-origin"}, 422},
		"as a form, own page":           {[]string{"Content-Type", "application/x-www-form-urlencoded", "Sec-Fetch-Site", "same-origin"}, 422},
		"without a type, own page":      {[]string{"Content-Type", "", "Sec-Fetch-Site", "same-origin"}, 422},
		"another origin":                {[]string{"Content-Type", "application/json", "Origin", "https://bad.example"}, 403},
		"the origin null":               {[]string{"Content-Type", "application/json", "Origin", "null"}, 403},
		"own origin, older browser":     {[]string{"Content-Type", "application/json", "Origin", s.URL}, 201},
		"own page":                      {[]string{"Content-Type", "application/json; charset=utf-8", "Sec-Fetch-Site", "same-origin"}, 201},
		"another site with own as text": {[]string{"Content-Type", "text/plain", "Sec-Fetch-Site", "cross-site"}, 403},
	} {
		a := s.call(http.MethodPost, "/api/v1/house-answers", body, append([]string{"Authorization", "", "Cookie", cookie}, c.header...)...)
		if a.StatusCode != c.status {
			t.Errorf("%s: %d %s, want %d", what, a.StatusCode, a.body, c.status)
		}
	}
	if a := s.call(http.MethodDelete, "/api/v1/sessions", nil, "Authorization", "", "Cookie", cookie); a.StatusCode != http.StatusForbidden {
		t.Errorf("another page signs out: %d", a.StatusCode)
	}
}

// A body that never comes holds a connection for seconds, and nobody up.
func TestABodyMustComeInTime(t *testing.T) {
	s := openStage(t)
	s.api.bodyTime = time.Second
	const many = 100
	var conns []net.Conn
	for range many {
		conn, err := net.Dial("tcp", strings.TrimPrefix(s.URL, "http://"))
		if err != nil {
			t.Fatal(err)
		}
		defer conn.Close()
		fmt.Fprintf(conn, "POST /api/v1/house-answers HTTP/1.1\r\nHost: x\r\nAuthorization: Bearer %s\r\nContent-Type: application/json\r\nContent-Length: 100\r\n\r\n{", s.token)
		conns = append(conns, conn)
	}
	if a := s.call(http.MethodGet, "/api/v1/me", nil); a.StatusCode != http.StatusOK {
		t.Errorf("meanwhile others get %d", a.StatusCode)
	}
	begun := time.Now()
	for _, conn := range conns {
		if err := conn.SetDeadline(begun.Add(10 * time.Second)); err != nil {
			t.Fatal(err)
		}
		if _, err := bufio.NewReader(conn).ReadString('\n'); err != nil {
			t.Fatalf("after %s: %v", time.Since(begun), err)
		}
	}
}

// Who asks is the other end of the connection, unless that is a proxy that is trusted.
func TestProxiesSayWhoAsks(t *testing.T) {
	s := &Server{Options: Options{Proxies: []netip.Prefix{netip.MustParsePrefix("10.0.0.0/8"), netip.MustParsePrefix("::1/128")}}}
	for _, c := range []struct{ from, forwarded, want string }{
		{"203.0.113.9:5", "", "203.0.113.9:5"},
		{"203.0.113.9:5", "198.51.100.1", "203.0.113.9:5"},
		{"10.0.0.1:5", "", "10.0.0.1:5"},
		{"10.0.0.1:5", "198.51.100.1", "198.51.100.1:5"},
		{"10.0.0.1:5", "192.0.2.66, 198.51.100.1", "198.51.100.1:5"},
		{"10.0.0.1:5", "192.0.2.66, 198.51.100.1, 10.0.0.7", "198.51.100.1:5"},
		{"10.0.0.1:5", "nonsense, 10.0.0.7", "10.0.0.7:5"},
		{"[::1]:5", "2001:db8::1", "[2001:db8::1]:5"},
		{"[::ffff:10.0.0.1]:5", "198.51.100.1:4433", "198.51.100.1:5"},
		{"[::1]:5", "[2001:db8::1]:4433", "[2001:db8::1]:5"},
	} {
		r := &http.Request{RemoteAddr: c.from, Header: http.Header{}}
		if c.forwarded != "" {
			r.Header.Set("X-Forwarded-For", c.forwarded)
		}
		if got := s.remote(r); got != c.want {
			t.Errorf("from %s for %q: %s, want %s", c.from, c.forwarded, got, c.want)
		}
	}
}

// A trial takes what may be known of a customer, and nothing else breaks it.
func TestATrialTakesOddThings(t *testing.T) {
	s := openStage(t)
	for body, status := range map[string]int{
		`{"message":"hello","before":{"memory":{"email":"ada@example.org"}}}`:                                           200,
		`{"message":"hello","before":{"memory":{"email":"nobody"}}}`:                                                    422,
		`{"message":"hello","before":{"memory":{"shoe_size":"9"}}}`:                                                     422,
		`{"message":"hello","before":{"memory":{"":""}}}`:                                                               422,
		`{"message":"hello","before":{"memory":{"name":"` + strings.Repeat("x", 501) + `"}}}`:                           422,
		`{"message":"hello","before":{"memory":{"name":7}}}`:                                                            422,
		`{"message":"the second","before":{"lead":"bot","memory":{},"state":{"choice":{"question":"q","options":[]}}}}`: 200,
		`{"message":"hello","before":{"lead":"bot","memory":{},"state":{"open":{"tool":"none","missing":"x"}}}}`:        200,
		`{"message":"hello","before":{"lead":"bot","memory":{},"state":{"replies":-7}}}`:                                200,
		`{"message":"hello","before":{"lead":"odd","memory":{},"state":{}}}`:                                            200,
		`{"message":"hello","before":{"lead":"bot","memory":{},"state":{"asked":"x"}}}`:                                 422,
		`{"message":"hello","before":{"lead":"bot","memory":null,"state":null}}`:                                        200,
	} {
		if a := s.call(http.MethodPost, "/api/v1/bots/front-desk/trial", body); a.StatusCode != status {
			t.Errorf("%.120s: %d %s", body, a.StatusCode, a.body)
		}
	}
}

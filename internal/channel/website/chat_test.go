package website

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"
	"time"

	"urgentparrot.example/internal/channel"
	"urgentparrot.example/internal/channel/channeltest"
	"urgentparrot.example/internal/clock"
)

// call makes a request of a page, and decodes the answer.
func call(h http.Handler, method, path, token, body string, into any) *httptest.ResponseRecorder {
	r := httptest.NewRequest(method, path, strings.NewReader(body))
	if token != "" {
		r.Header.Set("Authorization", "Bearer "+token)
	}
	w := httptest.NewRecorder()
	h.ServeHTTP(w, r)
	if into != nil {
		_ = json.Unmarshal(w.Body.Bytes(), into) // what is missing shows
	}
	return w
}

// visitor opens the chat as somebody new.
func visitor(h http.Handler) (token string) {
	var made struct{ Token string }
	call(h, http.MethodPost, "/visitors", "", "{}", &made)
	return made.Token
}

func opened() (http.Handler, *channeltest.Room, *clock.Walked) {
	room, c := &channeltest.Room{}, clock.NewWalked(time.Now())
	return open(&Settings{Origins: []string{"https://www.example.org"}}, room.Setup(c)).Handler(), room, c
}

func TestTheWebsiteChatConforms(t *testing.T) {
	tokens := map[string]string{}
	channeltest.Conforms(t, channeltest.Subject{
		Kind: Kind,
		Deliver: func(h http.Handler, address, id, words string) bool {
			key := address
			token := ""
			if !strings.HasPrefix(id, "id-") { // one visitor, who comes back
				token = tokens[key]
			}
			if token == "" {
				token = visitor(h)
				if !strings.HasPrefix(id, "id-") {
					tokens[key] = token
				}
			}
			raw, err := json.Marshal(map[string]string{"id": id, "text": words})
			if err != nil {
				return false
			}
			if strings.Contains(words, "\xff") {
				raw = bytes.Replace(raw, []byte(`\ufffd`), []byte("\xff"), 1)
			}
			return call(h, http.MethodPost, "/messages", token, string(raw), nil).Code == http.StatusAccepted
		},
	})
}

func TestAVisitorIsKnownByTheirTokenAlone(t *testing.T) {
	h, room, _ := opened()
	ada, bob := visitor(h), visitor(h)
	call(h, http.MethodPost, "/messages", ada, `{"id":"1","text":"hello"}`, nil)
	call(h, http.MethodPost, "/messages", bob, `{"id":"1","text":"hello"}`, nil)
	got := room.Received()
	if len(got) != 2 || got[0].Address == got[1].Address {
		t.Fatalf("two visitors with the same message id are received as %+v", got)
	}
	room.Say(got[0].Address, "Hello Ada!")
	var page struct{ Items []channel.Said }
	if call(h, http.MethodGet, "/messages", ada, "", &page); len(page.Items) != 1 || page.Items[0].Text != "Hello Ada!" || page.Items[0].Parts[0].Text != "Hello Ada!" {
		t.Errorf("Ada reads %+v", page)
	}
	if call(h, http.MethodGet, "/messages", bob, "", &page); len(page.Items) != 0 {
		t.Errorf("Bob reads %+v", page)
	}
	for _, token := range []string{"", "x", ada + "x", strings.Replace(ada, ".", "", 1), bob[:10] + ada[10:]} {
		for method, path := range map[string]string{http.MethodGet: "/messages", http.MethodPost: "/messages"} {
			if w := call(h, method, path, token, `{"id":"2","text":"hello"}`, nil); w.Code != http.StatusUnauthorized {
				t.Errorf("%s with the token %q: %d", method, token, w.Code)
			}
		}
	}
	for body, status := range map[string]int{`{"id":"","text":"x"}`: 422, `{"id":"` + strings.Repeat("x", 101) + `","text":"x"}`: 422, `{"id":"1"}`: 422, `{`: 422} {
		if w := call(h, http.MethodPost, "/messages", ada, body, nil); w.Code != status {
			t.Errorf("%.40s: %d, want %d", body, w.Code, status)
		}
	}
}

func TestWhatIsSaidStreamsAndResumes(t *testing.T) {
	h, room, c := opened()
	token := visitor(h)
	call(h, http.MethodPost, "/messages", token, `{"id":"1","text":"hello"}`, nil)
	address := room.Received()[0].Address
	first := room.Say(address, "One.")
	server := httptest.NewServer(h)
	t.Cleanup(server.Close) // after the streams have ended
	ticket := func() string {
		var made struct{ Ticket string }
		call(h, http.MethodPost, "/tickets", token, "", &made)
		return made.Ticket
	}
	follow := func(query, lastEvent string) (*http.Response, *bufio.Scanner) {
		t.Helper()
		ctx, cancel := context.WithTimeout(t.Context(), 30*time.Second)
		t.Cleanup(cancel)
		r, err := http.NewRequestWithContext(ctx, http.MethodGet, server.URL+"/stream?"+query, nil)
		if err != nil {
			t.Fatal(err)
		}
		if lastEvent != "" {
			r.Header.Set("Last-Event-ID", lastEvent)
		}
		response, err := http.DefaultClient.Do(r)
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(func() { response.Body.Close() })
		return response, bufio.NewScanner(response.Body)
	}
	until := func(lines *bufio.Scanner, beginning string) string {
		t.Helper()
		for lines.Scan() {
			if strings.HasPrefix(lines.Text(), beginning) {
				return lines.Text()
			}
		}
		t.Fatalf("the stream ended before %q: %v", beginning, lines.Err())
		return ""
	}
	_, lines := follow("ticket="+url.QueryEscape(ticket()), "")
	if id := until(lines, "id:"); id != "id:"+first {
		t.Errorf("the first event is %q", id)
	}
	if data := until(lines, "data:"); !strings.Contains(data, `"One."`) {
		t.Errorf("it says %s", data)
	}
	second := room.Say(address, "Two.")
	if id := until(lines, "id:"); id != "id:"+second {
		t.Errorf("the second event is %q", id)
	}
	// Whoever comes back gets what they have not seen, by either way of saying so.
	for _, from := range [][2]string{{"&after=" + first, ""}, {"", first}} {
		_, lines := follow("ticket="+url.QueryEscape(ticket())+from[0], from[1])
		if data := until(lines, "data:"); !strings.Contains(data, `"Two."`) {
			t.Errorf("after %s it says %s", first, data)
		}
	}
	// One visitor has few streams at a time; one that ended makes room.
	var last *http.Response
	for n := 3; n < mostStreams; n++ {
		last, _ = follow("ticket="+url.QueryEscape(ticket()), "")
	}
	if response, _ := follow("ticket="+url.QueryEscape(ticket()), ""); response.StatusCode != http.StatusTooManyRequests {
		t.Errorf("a stream too many got %d", response.StatusCode)
	}
	_ = last.Body.Close() // the other side sees it
	for deadline := time.Now().Add(20 * time.Second); ; {
		if response, _ := follow("ticket="+url.QueryEscape(ticket()), ""); response.StatusCode == http.StatusOK {
			break
		}
		if time.Now().After(deadline) {
			t.Fatal("a stream that ended makes no room")
		}
	}
	// A ticket lives for seconds, and is no token.
	old := ticket()
	c.Walk(ticketLife + time.Second)
	for _, wrong := range []string{old, token, "x", ""} {
		if response, _ := follow("ticket="+url.QueryEscape(wrong), ""); response.StatusCode != http.StatusUnauthorized {
			t.Errorf("the ticket %.12q got %d", wrong, response.StatusCode)
		}
	}
}

// Somebody who writes without end is slowed down, and so is an address that makes
// visitors without end; others are not.
func TestVisitorsAndMessagesAreLimited(t *testing.T) {
	h, _, c := opened()
	ada := visitor(h)
	write := func(token, id string) int {
		return call(h, http.MethodPost, "/messages", token, `{"id":"`+id+`","text":"hello"}`, nil).Code
	}
	for i := range 20 {
		if code := write(ada, string(rune('a'+i))); code != http.StatusAccepted {
			t.Fatalf("message %d: %d", i, code)
		}
	}
	if code := write(ada, "z"); code != http.StatusTooManyRequests {
		t.Errorf("the twenty-first message at once got %d", code)
	}
	if code := write(visitor(h), "z"); code != http.StatusAccepted {
		t.Errorf("somebody else got %d", code)
	}
	c.Walk(time.Second)
	if code := write(ada, "z"); code != http.StatusAccepted {
		t.Errorf("a second later Ada got %d", code)
	}
	made := 0
	for range 100 {
		if visitor(h) != "" {
			made++
		}
	}
	if made < 30 || made > 60 {
		t.Errorf("one address made %d visitors at once", made)
	}
}

func TestOnlyAllowedPagesReadTheAnswers(t *testing.T) {
	h, _, _ := opened()
	for origin, allowed := range map[string]bool{
		"https://www.example.org": true, "http://example.com": true, // its own host
		"https://example.org": false, "https://www.example.org.evil.example": false, "null": false, "https://www.example.org:8443": false,
	} {
		for _, method := range []string{http.MethodOptions, http.MethodPost} {
			r := httptest.NewRequest(method, "/visitors", strings.NewReader("{}"))
			r.Header.Set("Origin", origin)
			w := httptest.NewRecorder()
			h.ServeHTTP(w, r)
			if got := w.Header().Get("Access-Control-Allow-Origin"); (got == origin) != allowed || allowed == (w.Code == http.StatusForbidden) {
				t.Errorf("%s from %s: %d, allowed to %q", method, origin, w.Code, got)
			}
		}
	}
	if w := call(h, http.MethodGet, "/", "", "", nil); w.Code != http.StatusOK || !strings.Contains(w.Body.String(), "widget.js") {
		t.Errorf("the page: %d %s", w.Code, w.Body)
	}
	if w := call(h, http.MethodGet, "/nothing", "", "", nil); w.Code != http.StatusNotFound {
		t.Errorf("nothing: %d", w.Code)
	}
}

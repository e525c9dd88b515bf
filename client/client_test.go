package client

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
)

// service answers every request as the test says, and notes what it was asked.
func service(t *testing.T, status int, body string) (*Client, *[]string) {
	t.Helper()
	var asked []string
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		raw, _ := io.ReadAll(r.Body)
		asked = append(asked, fmt.Sprintf("%s %s [%s] %s", r.Method, r.URL.RequestURI(), r.Header.Get("Authorization"), raw))
		w.WriteHeader(status)
		fmt.Fprint(w, body)
	}))
	t.Cleanup(server.Close)
	return &Client{Server: server.URL + "/", Token: "pt_main_x"}, &asked
}

func TestProblemsComeBackAsErrors(t *testing.T) {
	for _, c := range []struct {
		status     int
		body, says string
	}{
		{422, `{"type":"/problems/bad-input","title":"T","status":422,"detail":"the text is empty","field":"text"}`, "the text is empty"},
		{409, `{"title":"Changed meanwhile"}`, "Changed meanwhile"},
		{422, `{"detail":"x","problems":[{"file":"bot.yaml","line":3,"column":5,"message":"no"},{"file":"bot.yaml","line":7,"column":1,"message":"never"}]}`, "bot.yaml:3:5: no\nbot.yaml:7:1: never"},
		{502, `<html>Bad gateway</html>`, "502 Bad Gateway"},
	} {
		client, _ := service(t, c.status, c.body)
		_, err := client.Me(t.Context())
		var failed *Error
		if !errors.As(err, &failed) || failed.Status != c.status || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%d %s became %v", c.status, c.body, err)
		}
	}
	away := &Client{Server: "http://127.0.0.1:1"}
	if _, err := away.Status(t.Context()); !errors.Is(err, ErrUnreachable) || !strings.Contains(err.Error(), "127.0.0.1:1") {
		t.Errorf("a service that is not there: %v", err)
	}
	if _, err := (&Client{Server: "://"}).Status(t.Context()); err == nil {
		t.Error("an address that is none was called")
	}
}

// Names and ids go into addresses so that they stay one part of them.
func TestCallsAreAddressedSafely(t *testing.T) {
	client, asked := service(t, 200, `{}`)
	ctx := t.Context()
	odd := `a/../b?c#d e`
	_, err := client.Conversation(ctx, odd)
	_, err2 := client.Messages(ctx, odd, "1&x=2")
	_, err3 := client.PutDocument(ctx, "bots", odd, "bot: x", 7)
	_, err4 := client.Search(ctx, "what & why?", odd)
	_, err5 := client.Reply(ctx, odd, "hello", "key")
	_, err6 := client.AddSource(ctx, odd, strings.NewReader("content"))
	err7 := client.RemoveSource(ctx, odd)
	_, err8 := client.Approve(ctx, odd, "")
	_, err9 := client.ChangeContact(ctx, odd, ContactChange{Facts: map[string]string{"email": ""}})
	if err := errors.Join(err, err2, err3, err4, err5, err6, err7, err8, err9); err != nil {
		t.Fatal(err)
	}
	const one = "a%2F..%2Fb%3Fc%23d%20e"
	for i, want := range []string{
		"GET /api/v1/conversations/" + one + " ", "GET /api/v1/conversations/" + one + "/messages?cursor=1%26x%3D2 ", "PUT /api/v1/documents/bots/" + one + " ",
		"GET /api/v1/knowledge/search?bot=a%2F..%2Fb%3Fc%23d+e&q=what+%26+why%3F ", "POST /api/v1/conversations/" + one + "/messages ", "POST /api/v1/sources ",
		"DELETE /api/v1/sources/" + one + " ", "POST /api/v1/messages/" + one + "/approve ", "PATCH /api/v1/contacts/" + one + " ",
	} {
		if got := (*asked)[i]; !strings.HasPrefix(got, want) || !strings.Contains(got, "[Bearer pt_main_x]") {
			t.Errorf("call %d was %q, want %q", i+1, got, want)
		}
	}
	if !strings.Contains((*asked)[5], odd) { // the name of a source keeps its folders
		t.Errorf("the upload was %q", (*asked)[5])
	}
	if got := (*asked)[8]; !strings.Contains(got, `"facts":{"email":""}`) || strings.Contains(got, "stage") {
		t.Errorf("what is left out was sent: %q", got)
	}
}

func TestWhatIsNoJSONIsWrittenAsItComes(t *testing.T) {
	client, _ := service(t, 200, "Name\r\nAda\r\n")
	var table bytes.Buffer
	if err := client.SheetCSV(t.Context(), "enquiries", &table); err != nil || table.String() != "Name\r\nAda\r\n" {
		t.Errorf("%q, %v", table.String(), err)
	}
	if _, err := client.Me(t.Context()); err == nil {
		t.Error("a table was taken for JSON")
	}
}

// A reply without a key of the caller's gets one, so that a try that is repeated by
// a proxy is not said twice.
func TestEveryReplyHasAKey(t *testing.T) {
	keys := map[string]bool{}
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		keys[r.Header.Get("Idempotency-Key")] = true
		fmt.Fprint(w, `{}`)
	}))
	defer server.Close()
	client := &Client{Server: server.URL}
	for range 3 {
		if _, err := client.Reply(t.Context(), "c", "hello", ""); err != nil {
			t.Fatal(err)
		}
	}
	if _, err := client.Reply(t.Context(), "c", "hello", "mine"); err != nil {
		t.Fatal(err)
	}
	if len(keys) != 4 || keys[""] || !keys["mine"] {
		t.Errorf("the keys were %v", keys)
	}
}

// Package hostile attacks the whole service on loopback, as people who mean harm do:
// with files, pages, messages, documents, requests and claims. Whatever it is given,
// each costs itself only; what is promised holds.
//
// make test runs all of it with narrow limits; make hostile with those of a service.
package hostile

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"mime/multipart"
	"net/http"
	"os"
	"strings"
	"testing"
	"time"

	"urgentparrot.example/client"
	"urgentparrot.example/internal/engine"
	"urgentparrot.example/internal/outbound"
	"urgentparrot.example/internal/reading/apart"
	"urgentparrot.example/internal/service"
	"urgentparrot.example/internal/world"
)

// A house is the demo business at work, which is attacked.
type house struct {
	*service.Demo
	client *client.Client
	data   string
	calls  int
}

// under is attacked by all tests, one after another: what one leaves behind, the others
// meet.
var under *house

func TestMain(m *testing.M) {
	apart.WorkIfAsked()
	code, err := run(m)
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		code = 1
	}
	os.Exit(code)
}

func run(m *testing.M) (int, error) {
	data, err := os.MkdirTemp("", "hostile % ? # [a] ")
	if err != nil {
		return 1, err
	}
	defer os.RemoveAll(data)
	command, err := apart.Command()
	if err != nil {
		return 1, err
	}
	reader := apart.New(nil, command...)
	defer reader.Close()
	if os.Getenv("HOSTILE") == "" {
		reader.Time, reader.PerMB, reader.Memory = 2*time.Second, time.Second, 400<<20
	}
	d, err := service.StartDemo(context.Background(), service.Options{
		Data: data, Listen: "127.0.0.1:0", Engine: engine.Options{RetryBase: 20 * time.Millisecond, Reader: reader, Rules: outbound.Rules{}},
	}, "127.0.0.1:0", "127.0.0.1:0")
	if err != nil {
		return 1, err
	}
	defer d.Close()
	token, err := d.NewToken(context.Background(), service.DemoWorkspace, "Robin")
	if err != nil {
		return 1, err
	}
	under = &house{Demo: d, client: &client.Client{Server: d.PublicURL, Token: token}, data: data}
	return m.Run(), nil
}

// patience is how long any case may take.
const patience = 30 * time.Second

// An answer is a response with its body read.
type answer struct {
	*http.Response
	body string
}

// asks makes a request. header is names and values; an empty value takes one away.
func (h *house) asks(t *testing.T, method, path string, body io.Reader, header ...string) answer {
	t.Helper()
	ctx, cancel := context.WithTimeout(context.WithoutCancel(t.Context()), patience) // also when the test tidies up
	defer cancel()
	r, err := http.NewRequestWithContext(ctx, method, h.PublicURL+path, body)
	if err != nil {
		t.Fatal(err)
	}
	r.Header.Set("Authorization", "Bearer "+h.client.Token)
	if body != nil {
		r.Header.Set("Content-Type", "application/json")
	}
	for i := 0; i+1 < len(header); i += 2 {
		if r.Header.Set(header[i], header[i+1]); header[i+1] == "" {
			r.Header.Del(header[i])
		}
	}
	response, err := http.DefaultTransport.RoundTrip(r)
	if err != nil {
		t.Fatalf("%s %s: %v", method, path, err)
	}
	defer response.Body.Close()
	raw, err := io.ReadAll(io.LimitReader(response.Body, 16<<20))
	if err != nil {
		t.Fatalf("%s %s: %v", method, path, err)
	}
	return answer{response, string(raw)}
}

// honest checks that an answer tells nothing of the inside, and is short where it says
// that something is wrong.
func (a answer) honest(t *testing.T) {
	t.Helper()
	if a.StatusCode >= 500 {
		t.Errorf("answered %d: %.300s", a.StatusCode, a.body)
	}
	if a.StatusCode < 400 {
		return
	}
	if kind := a.Header.Get("Content-Type"); !strings.HasPrefix(kind, "application/problem+json") || !json.Valid([]byte(a.body)) {
		t.Errorf("a refusal is served as %q: %.200s", kind, a.body)
	}
	for _, inside := range []string{"goroutine", "runtime error", "panic", ".go:", "sqlite", "SQLITE", "/internal/", "0xc000", under.data} {
		if strings.Contains(a.body, inside) {
			t.Errorf("the refusal tells of %q: %.300s", inside, a.body)
		}
	}
	if len(a.body) > 6_000 {
		t.Errorf("the refusal has %d bytes", len(a.body))
	}
}

// uploads hands a file in, as builders do.
func (h *house) uploads(t *testing.T, name string, content []byte) answer {
	t.Helper()
	var form bytes.Buffer
	w := multipart.NewWriter(&form)
	err := w.WriteField("name", name)
	if err == nil {
		var part io.Writer
		if part, err = w.CreateFormFile("file", name); err == nil {
			_, err = part.Write(content)
		}
	}
	if err == nil {
		err = w.Close()
	}
	if err != nil {
		t.Fatal(err)
	}
	return h.asks(t, http.MethodPost, "/api/v1/sources", &form, "Content-Type", w.FormDataContentType())
}

// phone returns a telephone that nobody has used.
func (h *house) phone() string {
	h.calls++
	return fmt.Sprintf("+4477%08d", h.calls)
}

// texts has a telephone write, and returns the first reply that answers it, "" if the
// text was refused.
func (h *house) texts(t *testing.T, phone, words string) string {
	t.Helper()
	ctx, cancel := context.WithTimeout(t.Context(), patience)
	defer cancel()
	h.calls++
	id := fmt.Sprint("h-", h.calls)
	if err := h.World.Handset.Send(ctx, phone, id, words); err != nil {
		if !strings.Contains(err.Error(), "4") { // the gateway says with which status
			t.Fatalf("%.80q: %v", words, err)
		}
		return ""
	}
	reply := ""
	if _, err := h.World.Handset.Await(ctx, phone, func(texts []world.Text) bool {
		for _, text := range texts {
			for _, answered := range text.Answers {
				if answered == id {
					reply = text.Text
					return true
				}
			}
		}
		return false
	}); err != nil {
		t.Fatalf("%.80q was not answered: %v", words, err)
	}
	return reply
}

// conversation returns the conversation with a telephone.
func (h *house) conversation(t *testing.T, phone string) client.Conversation {
	t.Helper()
	page, err := h.client.Conversations(t.Context(), "", "", "")
	for err == nil {
		for _, c := range page.Items {
			if c.Address == phone {
				c, err = h.client.Conversation(t.Context(), c.ID)
				if err != nil {
					t.Fatal(err)
				}
				return c
			}
		}
		if page.Next == "" {
			break
		}
		page, err = h.client.Conversations(t.Context(), "", "", page.Next)
	}
	t.Fatalf("no conversation with %s: %v", phone, err)
	return client.Conversation{}
}

// stands checks that the house still does its work.
func (h *house) stands(t *testing.T) {
	t.Helper()
	for _, path := range []string{"/healthz", "/readyz", "/api/v1/today", "/api/v1/status", "/api/v1/sources"} {
		if a := h.asks(t, http.MethodGet, path, nil); a.StatusCode != http.StatusOK {
			t.Errorf("afterwards %s answers %d: %.200s", path, a.StatusCode, a.body)
		}
	}
	if reply := h.texts(t, h.phone(), "Is there food on board?"); !strings.Contains(reply, "soup") {
		t.Errorf("afterwards a customer reads %q", reply)
	}
}

package textline

import (
	"bytes"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	webhooks "github.com/standard-webhooks/standard-webhooks/libraries/go"

	"urgentparrot.example/internal/channel"
	"urgentparrot.example/internal/channel/channeltest"
	"urgentparrot.example/internal/clock"
)

var secret = "whsec_" + base64.StdEncoding.EncodeToString([]byte("a secret that only this test knows"))

// deliver posts a text as a gateway does, and returns the answer.
func deliver(h http.Handler, id string, at time.Time, payload any) *httptest.ResponseRecorder {
	body, ok := payload.([]byte)
	if !ok {
		body, _ = json.Marshal(payload)
	}
	hook, _ := webhooks.NewWebhook(secret)
	signature, _ := hook.Sign(id, at, body)
	r := httptest.NewRequest(http.MethodPost, "/", bytes.NewReader(body))
	r.Header.Set(webhooks.HeaderWebhookID, id)
	r.Header.Set(webhooks.HeaderWebhookTimestamp, fmt.Sprint(at.Unix()))
	r.Header.Set(webhooks.HeaderWebhookSignature, signature)
	w := httptest.NewRecorder()
	h.ServeHTTP(w, r)
	return w
}

// text is the payload of a text.
func text(id, from, to, words string) map[string]any {
	return map[string]any{"type": "text.received", "timestamp": time.Now().UTC(), "data": map[string]any{"id": id, "from": from, "to": to, "text": words}}
}

func TestTheTextLineConforms(t *testing.T) {
	channeltest.Conforms(t, channeltest.Subject{
		Kind: Kind, Secret: secret,
		Deliver: func(h http.Handler, address, id, words string) bool {
			payload := text(id, address, "", words)
			raw, err := json.Marshal(payload)
			if err != nil {
				return false
			}
			// JSON has no bytes that are no UTF-8: they are put in as they come.
			if strings.Contains(words, "\xff") {
				raw = bytes.Replace(raw, []byte(`\ufffd`), []byte("\xff"), 1)
			}
			return deliver(h, id, time.Now(), raw).Code == http.StatusAccepted
		},
		Gateway: func(t *testing.T, judge func(id, address, words string) channeltest.Verdict) string {
			hook, err := webhooks.NewWebhook(secret)
			if err != nil {
				t.Fatal(err)
			}
			server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
				body, _ := io.ReadAll(r.Body)
				var sent Sent
				if err := hook.Verify(body, r.Header); err != nil || json.Unmarshal(body, &sent) != nil || sent.Type != "text.send" || r.Header.Get(webhooks.HeaderWebhookID) != sent.Data.ID {
					http.Error(w, "not a signed text", http.StatusTeapot)
					return
				}
				switch judge(sent.Data.ID, sent.Data.To, sent.Data.Text) {
				case channeltest.Busy:
					http.Error(w, "busy", http.StatusServiceUnavailable)
				case channeltest.Refuses:
					http.Error(w, "no such number", http.StatusNotFound)
				case channeltest.Hangs:
					<-r.Context().Done()
				}
			}))
			t.Cleanup(server.Close)
			return server.URL
		},
	})
}

// opened is a line over a room, with its clock.
func opened(t *testing.T, secret string) (channel.Adapter, *channeltest.Room, *clock.Walked, error) {
	t.Helper()
	room, c := &channeltest.Room{}, clock.NewWalked(time.Now())
	setup := room.Setup(c)
	setup.Secret = secret
	line, err := Kind.Open(&Settings{Number: "+441632960100"}, setup)
	return line, room, c, err
}

func TestATextIsTakenOnlyWithItsSignature(t *testing.T) {
	line, room, _, err := opened(t, secret)
	if err != nil {
		t.Fatal(err)
	}
	good := text("1", "+447700900123", "+441632960100", "hello")
	for what, at := range map[string]time.Time{"ten minutes ago": time.Now().Add(-10 * time.Minute), "in ten minutes": time.Now().Add(10 * time.Minute)} {
		if w := deliver(line.Handler(), "1", at, good); w.Code != http.StatusUnauthorized || !strings.Contains(w.Body.String(), "five minutes") {
			t.Errorf("signed %s: %d %s", what, w.Code, w.Body)
		}
	}
	unsigned := httptest.NewRecorder()
	line.Handler().ServeHTTP(unsigned, httptest.NewRequest(http.MethodPost, "/", strings.NewReader("{}")))
	if unsigned.Code != http.StatusUnauthorized || len(room.Received()) != 0 {
		t.Errorf("without a signature: %d, received %+v", unsigned.Code, room.Received())
	}
	if w := deliver(line.Handler(), "1", time.Now(), good); w.Code != http.StatusAccepted {
		t.Errorf("with it: %d %s", w.Code, w.Body)
	}
	if _, _, _, err := opened(t, "a secret of another form"); err == nil || !strings.Contains(err.Error(), "whsec_") {
		t.Errorf("a line with a wrong secret says %v", err)
	}
}

// Whoever guesses at signatures is slowed down; the gateway is not.
func TestGuessingAtSignaturesIsLimited(t *testing.T) {
	line, _, c, err := opened(t, secret)
	if err != nil {
		t.Fatal(err)
	}
	guess := func() int {
		w := httptest.NewRecorder()
		line.Handler().ServeHTTP(w, httptest.NewRequest(http.MethodPost, "/", strings.NewReader("{}")))
		return w.Code
	}
	for range 30 {
		if code := guess(); code != http.StatusUnauthorized {
			t.Fatalf("a first guess got %d", code)
		}
	}
	if code := guess(); code != http.StatusTooManyRequests {
		t.Errorf("the thirty-first guess got %d", code)
	}
	if w := deliver(line.Handler(), "1", time.Now(), text("1", "+447700900123", "", "hello")); w.Code != http.StatusAccepted {
		t.Errorf("meanwhile the gateway got %d", w.Code)
	}
	c.Walk(2 * time.Second)
	if code := guess(); code != http.StatusUnauthorized {
		t.Errorf("after a while a guess got %d", code)
	}
}

func TestTheLinesOwnTextsStartNothing(t *testing.T) {
	line, room, _, err := opened(t, secret)
	if err != nil {
		t.Fatal(err)
	}
	own := text("own", "+441632960100", "+447700900123", "We are closed today.")
	automated := text("auto", "+447700900123", "+441632960100", "I am away.")
	automated["data"].(map[string]any)["automated"] = true
	for id, payload := range map[string]any{"own": own, "auto": automated} {
		if w := deliver(line.Handler(), id, time.Now(), payload); w.Code != http.StatusAccepted {
			t.Errorf("%s: %d %s", id, w.Code, w.Body)
		}
	}
	for _, in := range room.Received() {
		if !in.Automated || in.Address != "+447700900123" {
			t.Errorf("received %+v", in)
		}
	}
	for says, payload := range map[string]any{
		"only text.received": map[string]any{"type": "text.status"},
		"needs an id":        text("", "+447700900123", "", "x"),
		"number it came":     text("1", "", "", "x"),
		"this line is":       text("1", "+447700900123", "+441632960999", "x"),
		"number it went to":  text("1", "+441632960100", "", "x"),
		"JSON":               []byte("{"),
	} {
		if w := deliver(line.Handler(), "wrong", time.Now(), payload); w.Code != http.StatusUnprocessableEntity || !strings.Contains(w.Body.String(), says) {
			t.Errorf("%d %s, want one that says %q", w.Code, w.Body, says)
		}
	}
}

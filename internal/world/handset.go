package world

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"strings"
	"sync"
	"time"

	"github.com/google/uuid"
	webhooks "github.com/standard-webhooks/standard-webhooks/libraries/go"

	"urgentparrot.example/internal/channel/textline"
)

// A Handset is a text gateway with telephones: it signs what is typed and hands
// it to the service, and takes the service's texts, recognising a repeat by its
// webhook-id.
type Handset struct {
	Trouble Trouble

	hook    *webhooks.Webhook
	address string
	client  *http.Client

	mu      sync.Mutex
	texts   []Text
	seen    map[string]int // how often each webhook-id was delivered
	arrived chan struct{}  // closed and renewed with each text that arrives
	awaited map[string]chan struct{}
}

// A Text is one text on a telephone.
type Text struct {
	ID      string    `json:"id"`
	Phone   string    `json:"phone"` // the customer's
	Inward  bool      `json:"inward"`
	Text    string    `json:"text"`
	Answers []string  `json:"answers,omitempty"`
	At      time.Time `json:"at"`
}

// Line is the number of the demo's text line.
const Line = "+441632960100"

func newHandset(o Options) (*Handset, error) {
	hook, err := webhooks.NewWebhook(o.Secret)
	if err != nil {
		return nil, err
	}
	transport := http.DefaultTransport.(*http.Transport).Clone()
	transport.MaxIdleConnsPerHost = 256
	return &Handset{
		hook: hook, address: o.Service + "/hooks/" + o.Workspace + "/text-line",
		client: &http.Client{Transport: transport, Timeout: 10 * time.Second}, seen: map[string]int{}, arrived: make(chan struct{}), awaited: map[string]chan struct{}{},
	}, nil
}

// Send types a text on a telephone and hands it to the service until it is
// acknowledged. A text with an id that was used before is a repeat.
func (h *Handset) Send(ctx context.Context, phone, id, words string) error {
	h.mu.Lock()
	h.texts = append(h.texts, Text{ID: id, Phone: phone, Text: words, At: time.Now()})
	h.mu.Unlock()
	for {
		err := h.Deliver(ctx, phone, id, words)
		if err == nil || !strings.Contains(err.Error(), "try again") {
			return err
		}
		select {
		case <-time.After(200 * time.Millisecond):
		case <-ctx.Done():
			return ctx.Err()
		}
	}
}

// Deliver hands a text to the service once.
func (h *Handset) Deliver(ctx context.Context, phone, id, words string) error {
	var payload textline.Received
	payload.Type, payload.Timestamp = "text.received", time.Now().UTC()
	payload.Data.ID, payload.Data.From, payload.Data.To, payload.Data.Text = id, phone, Line, words
	body, err := json.Marshal(payload)
	if err != nil {
		return err
	}
	return h.Post(ctx, id, time.Now(), body)
}

// Post signs a body and posts it to the service.
func (h *Handset) Post(ctx context.Context, id string, at time.Time, body []byte) error {
	signature, err := h.hook.Sign(id, at, body)
	if err != nil {
		return err
	}
	request, err := http.NewRequestWithContext(ctx, http.MethodPost, h.address, bytes.NewReader(body))
	if err != nil {
		return err
	}
	request.Header.Set("Content-Type", "application/json")
	request.Header.Set(webhooks.HeaderWebhookID, id)
	request.Header.Set(webhooks.HeaderWebhookTimestamp, fmt.Sprint(at.Unix()))
	request.Header.Set(webhooks.HeaderWebhookSignature, signature)
	response, err := h.client.Do(request)
	if err != nil {
		return fmt.Errorf("try again: %w", err)
	}
	defer response.Body.Close()
	said, _ := io.ReadAll(io.LimitReader(response.Body, 4<<10))
	switch {
	case response.StatusCode < 300:
		return nil
	case response.StatusCode >= 500:
		return fmt.Errorf("try again: the service answered %d: %s", response.StatusCode, said)
	}
	return fmt.Errorf("the service answered %d: %s", response.StatusCode, said)
}

// receive takes a signed text of the service.
func (h *Handset) receive(w http.ResponseWriter, r *http.Request) {
	if h.Trouble.strikes(w, r) {
		return
	}
	body, err := io.ReadAll(io.LimitReader(r.Body, 64<<10))
	if err == nil {
		err = h.hook.Verify(body, r.Header)
	}
	var sent textline.Sent
	if err == nil {
		err = json.Unmarshal(body, &sent)
	}
	if err != nil {
		http.Error(w, err.Error(), http.StatusBadRequest)
		return
	}
	id := r.Header.Get(webhooks.HeaderWebhookID)
	h.mu.Lock()
	defer h.mu.Unlock()
	h.seen[id]++
	if h.seen[id] == 1 {
		h.texts = append(h.texts, Text{ID: id, Phone: sent.Data.To, Inward: true, Text: sent.Data.Text, Answers: sent.Data.Answers, At: time.Now()})
		if c := h.awaited[sent.Data.To]; c != nil {
			delete(h.awaited, sent.Data.To)
			close(c)
		}
		close(h.arrived)
		h.arrived = make(chan struct{})
	}
	w.WriteHeader(http.StatusAccepted)
}

// Expect returns a channel that is closed when the next text arrives on a
// telephone. It costs the same however many texts there are.
func (h *Handset) Expect(phone string) <-chan struct{} {
	h.mu.Lock()
	defer h.mu.Unlock()
	c := make(chan struct{})
	h.awaited[phone] = c
	return c
}

// Texts returns the texts of a telephone, or of all for "", oldest first.
func (h *Handset) Texts(phone string) []Text {
	h.mu.Lock()
	defer h.mu.Unlock()
	texts := []Text{}
	for _, t := range h.texts {
		if phone == "" || t.Phone == phone {
			texts = append(texts, t)
		}
	}
	return texts
}

// Await waits until the texts that arrived on a telephone ("" for all) satisfy
// a condition, and returns them.
func (h *Handset) Await(ctx context.Context, phone string, enough func([]Text) bool) ([]Text, error) {
	for {
		h.mu.Lock()
		arrived := h.arrived
		h.mu.Unlock()
		var inward []Text
		for _, t := range h.Texts(phone) {
			if t.Inward {
				inward = append(inward, t)
			}
		}
		if enough(inward) {
			return inward, nil
		}
		select {
		case <-arrived:
		case <-ctx.Done():
			return inward, fmt.Errorf("waiting for texts on %s: %w", phone, ctx.Err())
		}
	}
}

func (h *Handset) typed(w http.ResponseWriter, r *http.Request) {
	phone, words := r.FormValue("phone"), r.FormValue("text")
	if err := h.Send(r.Context(), phone, uuid.NewString(), words); err != nil {
		http.Error(w, err.Error(), http.StatusBadGateway)
		return
	}
	w.WriteHeader(http.StatusAccepted)
}

func (h *Handset) list(w http.ResponseWriter, r *http.Request) {
	writeJSON(w, http.StatusOK, h.Texts(r.FormValue("phone")))
}

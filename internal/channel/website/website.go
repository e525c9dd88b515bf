// Package website is the chat on a page of the business: messages go up by POST
// and come down in a stream, from pages of other origins, without cookies.
package website

import (
	"context"
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"urgentparrot.example/internal/channel"
	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/problem"
)

// A Message is what a visitor sees.
type Message struct {
	ID        string            `json:"id"`
	Author    string            `json:"author"` // customer, bot, person
	Name      string            `json:"name,omitempty"`
	Text      string            `json:"text"`
	Citations []answer.Citation `json:"citations,omitempty"`
	At        time.Time         `json:"at"`
}

// A Room is where a channel's conversations are kept.
type Room interface {
	// Receive keeps a message of a visitor.
	Receive(context.Context, channel.Incoming) (channel.Received, error)
	// Messages returns what was said with a visitor after a message id, oldest
	// first, at most some hundred at a time.
	Messages(ctx context.Context, visitor, after string) ([]Message, error)
	// Watch returns a channel that is signalled whenever something was said with a
	// visitor, and a function that ends the watch.
	Watch(visitor string) (<-chan struct{}, func())
}

// A Chat is one website channel. It is safe for concurrent use.
type Chat struct {
	title    string
	origins  []string
	key      []byte // signs visitor tokens and stream tickets
	room     Room
	visitors *channel.Limits
	writes   *channel.Limits
}

// New returns a chat whose pages come from the origins given, beside the
// service's own.
func New(title string, origins []string, key []byte, room Room) *Chat {
	return &Chat{title, origins, key, room, channel.NewLimits(2, 60), channel.NewLimits(2, 20)}
}

// ServeHTTP serves the paths below the channel: visitors, messages, tickets and
// stream.
func (c *Chat) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	w.Header().Add("Vary", "Origin")
	if origin := r.Header.Get("Origin"); origin != "" {
		if !c.allowed(origin, r.Host) {
			problem.Write(w, problem.New(problem.NotAllowed, "pages of "+origin+" may not carry this chat; add it to the channel's origins", ""))
			return
		}
		w.Header().Set("Access-Control-Allow-Origin", origin)
	}
	if r.Method == http.MethodOptions {
		w.Header().Set("Access-Control-Allow-Methods", "GET, POST")
		w.Header().Set("Access-Control-Allow-Headers", "Authorization, Content-Type")
		w.Header().Set("Access-Control-Max-Age", "600")
		w.WriteHeader(http.StatusNoContent)
		return
	}
	switch r.Method + " " + strings.Trim(r.URL.Path, "/") {
	case "POST visitors":
		c.newVisitor(w, r)
	case "POST messages":
		c.post(w, r)
	case "GET messages":
		c.list(w, r)
	case "POST tickets":
		c.ticket(w, r)
	case "GET stream":
		c.stream(w, r)
	default:
		problem.Write(w, problem.New(problem.NotFound, "there is nothing at this address", ""))
	}
}

func (c *Chat) allowed(origin, host string) bool {
	u, err := url.Parse(origin)
	return err == nil && (u.Host == host || slices.Contains(c.origins, origin))
}

// Passes are texts that the service signed: "kind.value.signature".
func (c *Chat) sign(kind, value string) string {
	return base64.RawURLEncoding.EncodeToString([]byte(value)) + "." + c.mac(kind, value)
}

func (c *Chat) mac(kind, value string) string {
	mac := hmac.New(sha256.New, c.key)
	fmt.Fprintf(mac, "%s\x00%s", kind, value)
	return base64.RawURLEncoding.EncodeToString(mac.Sum(nil))
}

func (c *Chat) open(kind, pass string) (value string, ok bool) {
	encoded, signature, _ := strings.Cut(pass, ".")
	raw, err := base64.RawURLEncoding.DecodeString(encoded)
	if err != nil {
		return "", false
	}
	return string(raw), hmac.Equal([]byte(signature), []byte(c.mac(kind, string(raw))))
}

func (c *Chat) newVisitor(w http.ResponseWriter, r *http.Request) {
	if !c.visitors.Allow(channel.RemoteHost(r)) {
		problem.Write(w, problem.New(problem.TooMany, "too many new visitors from one address; try again in a minute", ""))
		return
	}
	channel.WriteJSON(w, http.StatusCreated, map[string]string{"token": c.sign("visitor", rand.Text()), "title": c.title})
}

// visitor returns who asks, by the token that the page keeps.
func (c *Chat) visitor(w http.ResponseWriter, r *http.Request) (string, bool) {
	token, _ := strings.CutPrefix(r.Header.Get("Authorization"), "Bearer ")
	visitor, ok := c.open("visitor", token)
	if !ok {
		problem.Write(w, problem.New(problem.NotSignedIn, "the visitor token is missing or not ours; ask for a new one", ""))
	}
	return visitor, ok
}

func (c *Chat) post(w http.ResponseWriter, r *http.Request) {
	visitor, ok := c.visitor(w, r)
	if !ok {
		return
	}
	if !c.writes.Allow(visitor) {
		problem.Write(w, problem.New(problem.TooMany, "too many messages at once; wait a moment and send it again", ""))
		return
	}
	body, bad := channel.ReadBody(w, r)
	if bad != nil {
		problem.Write(w, bad)
		return
	}
	var in struct {
		ID   string `json:"id"` // chosen by the page: a repeat has the same
		Text string `json:"text"`
	}
	if bad = channel.Decode(body, &in); bad == nil {
		bad = channel.CheckText(in.Text)
	}
	if bad == nil && (in.ID == "" || len(in.ID) > 100) {
		bad = problem.New(problem.BadInput, "the message needs an id of at most 100 characters", "id")
	}
	if bad != nil {
		problem.Write(w, bad)
		return
	}
	received, err := c.room.Receive(r.Context(), channel.Incoming{Address: visitor, ExternalID: visitor + "/" + in.ID, Text: in.Text})
	if err != nil {
		problem.Write(w, problem.New(problem.Unavailable, "the message could not be kept; send it again", ""))
		return
	}
	channel.WriteJSON(w, http.StatusAccepted, received)
}

func (c *Chat) list(w http.ResponseWriter, r *http.Request) {
	visitor, ok := c.visitor(w, r)
	if !ok {
		return
	}
	messages, err := c.room.Messages(r.Context(), visitor, r.URL.Query().Get("after"))
	if err != nil {
		problem.Write(w, problem.New(problem.Unavailable, "the messages cannot be read now", ""))
		return
	}
	if messages == nil {
		messages = []Message{}
	}
	channel.WriteJSON(w, http.StatusOK, map[string]any{"items": messages})
}

// ticketLife is how long a stream ticket may be used after it was given.
const ticketLife = 30 * time.Second

func (c *Chat) ticket(w http.ResponseWriter, r *http.Request) {
	if visitor, ok := c.visitor(w, r); ok {
		expires := strconv.FormatInt(time.Now().Add(ticketLife).Unix(), 10)
		channel.WriteJSON(w, http.StatusCreated, map[string]string{"ticket": c.sign("ticket", visitor+" "+expires)})
	}
}

// keepAlive is how often a quiet stream shows that it is there.
const keepAlive = 20 * time.Second

// stream sends what is said as server-sent events. Its ticket stands in the
// address, where an EventSource can put it; so it lives for seconds only.
func (c *Chat) stream(w http.ResponseWriter, r *http.Request) {
	value, ok := c.open("ticket", r.URL.Query().Get("ticket"))
	visitor, expires, _ := strings.Cut(value, " ")
	at, err := strconv.ParseInt(expires, 10, 64)
	if !ok || err != nil || time.Now().Unix() > at {
		problem.Write(w, problem.New(problem.NotSignedIn, "the stream ticket is not ours or has expired; ask for a new one", ""))
		return
	}
	after := r.Header.Get("Last-Event-ID")
	if after == "" {
		after = r.URL.Query().Get("after")
	}
	said, end := c.room.Watch(visitor)
	defer end()
	w.Header().Set("Content-Type", "text/event-stream")
	w.Header().Set("Cache-Control", "no-store")
	w.Header().Set("X-Accel-Buffering", "no")
	flush := http.NewResponseController(w)
	fmt.Fprint(w, "retry: 1000\n\n")
	for {
		messages, err := c.room.Messages(r.Context(), visitor, after)
		if err != nil {
			return
		}
		for _, m := range messages {
			data, err := json.Marshal(m)
			if err != nil {
				return
			}
			fmt.Fprintf(w, "id: %s\nevent: message\ndata: %s\n\n", m.ID, data)
			after = m.ID
		}
		if err := flush.Flush(); err != nil {
			return
		}
		select {
		case <-said:
		case <-time.After(keepAlive):
			if _, err := fmt.Fprint(w, ": still here\n\n"); err != nil {
				return
			}
		case <-r.Context().Done():
			return
		}
	}
}

// Package website is the chat on a page of the business: messages go up by POST
// and come down in a stream, from pages of other origins, without cookies.
package website

import (
	"context"
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"fmt"
	"net/http"
	"net/url"
	"path"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"urgentparrot.example/console"
	"urgentparrot.example/internal/channel"
	"urgentparrot.example/internal/core/document"
	"urgentparrot.example/internal/core/workspace"
	"urgentparrot.example/internal/problem"
	"urgentparrot.example/internal/sse"
)

// Kind is the website chat.
var Kind = channel.Kind{
	Name: "website", Title: "Website chat", Path: "chat", Page: true, Embed: `<script async src="ADDRESS/widget.js"></script>`,
	Settings: func() channel.Settings { return &Settings{} },
	Open: func(s channel.Settings, setup channel.Setup) (channel.Adapter, error) {
		return open(s.(*Settings), setup), nil
	},
	Example: `channel: website
title: Website chat
kind: website
bot: front-desk
origins:
  - https://www.example.org
`,
	Form: []document.Field{{Key: "origins", Label: "Pages that may carry the chat", As: document.AsTexts, Example: "https://www.example.org", About: "Beside the service's own."}},
}

// Settings are those of a website chat.
type Settings struct {
	workspace.Channel `yaml:",inline"`

	Origins []string `yaml:"origins"` // pages that may carry the chat, beside the service's own
}

// CheckOwn is channel.Settings'.
func (s *Settings) CheckOwn(c *document.Checker) {
	for i, origin := range s.Origins {
		if u, err := url.Parse(origin); err != nil || u.Host == "" || u.Path != "" || u.Scheme != "http" && u.Scheme != "https" {
			c.Wrong(fmt.Sprintf("$.origins[%d]", i), "%q must be like https://www.example.org, without a path", origin)
		}
	}
}

// A chat is one website channel.
type chat struct {
	channel.Setup
	origins  []string
	paths    *http.ServeMux
	visitors *channel.Limits
	writes   *channel.Limits

	mu      sync.Mutex
	streams map[string]int // that are open, by visitor
}

// mostStreams is how many streams one visitor may have open: the tabs of a browser share
// one.
const mostStreams = 8

// joins notes one more stream of a visitor; false if there are too many.
func (c *chat) joins(visitor string) bool {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.streams[visitor] >= mostStreams {
		return false
	}
	c.streams[visitor]++
	return true
}

func (c *chat) leaves(visitor string) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.streams[visitor]--; c.streams[visitor] <= 0 {
		delete(c.streams, visitor)
	}
}

func open(s *Settings, setup channel.Setup) *chat {
	c := &chat{Setup: setup, origins: s.Origins, paths: http.NewServeMux(), visitors: channel.NewLimits(setup.Clock, 2, 60), writes: channel.NewLimits(setup.Clock, 2, 20), streams: map[string]int{}}
	c.paths.HandleFunc("GET /{$}", page)
	c.paths.HandleFunc("POST /visitors", c.newVisitor)
	c.paths.HandleFunc("POST /messages", c.post)
	c.paths.HandleFunc("GET /messages", c.list)
	c.paths.HandleFunc("POST /tickets", c.ticket)
	c.paths.HandleFunc("GET /stream", c.stream)
	c.paths.HandleFunc("/", func(w http.ResponseWriter, _ *http.Request) {
		problem.Write(w, problem.New(problem.NotFound, "there is nothing at this address", ""))
	})
	return c
}

func (c *chat) Abilities() workspace.Abilities { return workspace.Abilities{Limit: 1200, Cites: true} }
func (c *chat) Handler() http.Handler          { return c }
func (c *chat) Sender() channel.Sender         { return nil } // pages fetch what was said
func (c *chat) Run(context.Context) error      { return nil }
func (c *chat) Close() error                   { return nil }

// widget serves the script that a page includes to carry the chat.
func widget(w http.ResponseWriter, r *http.Request) {
	w.Header().Set("Cache-Control", "public, max-age=300")
	w.Header().Set("Access-Control-Allow-Origin", "*")
	http.ServeFileFS(w, r, console.Dist, "dist/widget.js")
}

// page is a page of the service's own that holds nothing but the chat, to be
// linked to or put in an iframe.
func page(w http.ResponseWriter, _ *http.Request) {
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	// A client that is gone is no failure of ours.
	_, _ = fmt.Fprint(w, `<!doctype html>
<html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width, initial-scale=1"><title>Chat</title><link rel="icon" href="data:,"></head>
<body style="margin:0;background:#f1ece0"><script src="widget.js" data-open></script></body></html>
`)
}

// ServeHTTP serves the paths below the channel: the page and the script to all
// the world, and visitors, messages, tickets and stream to pages that may carry
// the chat.
func (c *chat) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	switch r.URL.Path {
	case "": // addresses in the page are relative to the one with a slash
		w.Header().Set("Location", path.Base(r.RequestURI)+"/")
		w.WriteHeader(http.StatusMovedPermanently)
		return
	case "/widget.js":
		widget(w, r)
		return
	}
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
	c.paths.ServeHTTP(w, r)
}

func (c *chat) allowed(origin, host string) bool {
	u, err := url.Parse(origin)
	return err == nil && (u.Host == host || slices.Contains(c.origins, origin))
}

// Passes are texts that the service signed: "kind.value.signature".
func (c *chat) sign(kind, value string) string {
	return base64.RawURLEncoding.EncodeToString([]byte(value)) + "." + c.mac(kind, value)
}

func (c *chat) mac(kind, value string) string {
	mac := hmac.New(sha256.New, c.Key)
	fmt.Fprintf(mac, "%s\x00%s", kind, value)
	return base64.RawURLEncoding.EncodeToString(mac.Sum(nil))
}

func (c *chat) open(kind, pass string) (value string, ok bool) {
	encoded, signature, _ := strings.Cut(pass, ".")
	raw, err := base64.RawURLEncoding.DecodeString(encoded)
	if err != nil {
		return "", false
	}
	return string(raw), hmac.Equal([]byte(signature), []byte(c.mac(kind, string(raw))))
}

func (c *chat) newVisitor(w http.ResponseWriter, r *http.Request) {
	if !c.visitors.Allow(channel.RemoteHost(r)) {
		problem.Write(w, problem.New(problem.TooMany, "too many new visitors from one address; try again in a minute", ""))
		return
	}
	channel.WriteJSON(w, http.StatusCreated, map[string]string{"token": c.sign("visitor", rand.Text()), "title": c.Title()})
}

// visitor returns who asks, by the token that the page keeps.
func (c *chat) visitor(w http.ResponseWriter, r *http.Request) (string, bool) {
	token, _ := strings.CutPrefix(r.Header.Get("Authorization"), "Bearer ")
	visitor, ok := c.open("visitor", token)
	if !ok {
		problem.Write(w, problem.New(problem.NotSignedIn, "the visitor token is missing or not ours; ask for a new one", ""))
	}
	return visitor, ok
}

func (c *chat) post(w http.ResponseWriter, r *http.Request) {
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
	received, err := c.Room.Receive(r.Context(), channel.Incoming{Address: visitor, ExternalID: visitor + "/" + in.ID, Text: in.Text})
	if err != nil {
		problem.Write(w, problem.New(problem.Unavailable, "the message could not be kept; send it again", ""))
		return
	}
	channel.WriteJSON(w, http.StatusAccepted, received)
}

func (c *chat) list(w http.ResponseWriter, r *http.Request) {
	visitor, ok := c.visitor(w, r)
	if !ok {
		return
	}
	messages, _, err := c.Room.Said(r.Context(), visitor, r.URL.Query().Get("after"))
	if err != nil {
		problem.Write(w, problem.New(problem.Unavailable, "the messages cannot be read now", ""))
		return
	}
	if messages == nil {
		messages = []channel.Said{}
	}
	channel.WriteJSON(w, http.StatusOK, map[string]any{"items": messages})
}

// ticketLife is how long a stream ticket may be used after it was given.
const ticketLife = 30 * time.Second

func (c *chat) ticket(w http.ResponseWriter, r *http.Request) {
	if visitor, ok := c.visitor(w, r); ok {
		expires := strconv.FormatInt(c.Clock.Now().Add(ticketLife).Unix(), 10)
		channel.WriteJSON(w, http.StatusCreated, map[string]string{"ticket": c.sign("ticket", visitor+" "+expires)})
	}
}

// stream sends what is said as server-sent events. Its ticket stands in the
// address, where an EventSource can put it; so it lives for seconds only.
func (c *chat) stream(w http.ResponseWriter, r *http.Request) {
	value, ok := c.open("ticket", r.URL.Query().Get("ticket"))
	visitor, expires, _ := strings.Cut(value, " ")
	at, err := strconv.ParseInt(expires, 10, 64)
	if !ok || err != nil || c.Clock.Now().Unix() > at {
		problem.Write(w, problem.New(problem.NotSignedIn, "the stream ticket is not ours or has expired; ask for a new one", ""))
		return
	}
	if !c.joins(visitor) {
		problem.Write(w, problem.New(problem.TooMany, "too many streams are open already; close one", ""))
		return
	}
	defer c.leaves(visitor)
	after := r.Header.Get("Last-Event-ID")
	if after == "" {
		after = r.URL.Query().Get("after")
	}
	said, end := c.Room.Watch(visitor)
	defer end()
	sse.Serve(w, r.Context(), c.Clock, said, func() ([]sse.Event, bool, error) {
		messages, more, err := c.Room.Said(r.Context(), visitor, after)
		events := make([]sse.Event, len(messages))
		for i, m := range messages {
			events[i] = sse.Event{ID: m.ID, Name: "message", Data: m}
			after = m.ID
		}
		return events, more, err
	})
}

// Package sse answers a request with a stream of server-sent events (WHATWG
// HTML, 9.2) that can be resumed.
package sse

import (
	"context"
	"fmt"
	"net/http"
	"time"

	"github.com/gin-contrib/sse"

	"urgentparrot.example/internal/clock"
)

// An Event is one event of a stream.
type Event struct {
	ID   string // the stream is resumed after it
	Name string // "" for a plain message
	Data any    // encoded as JSON, unless it is a string
}

// KeepAlive is how often a quiet stream shows that it is there.
const KeepAlive = 20 * time.Second

// Serve streams events until the request ends, or next or the client fails. next
// is called at the beginning, and again whenever there is a signal; it returns
// the events since its last call, oldest first, and whether there are more.
func Serve(w http.ResponseWriter, ctx context.Context, c clock.Clock, signal <-chan struct{}, next func() (events []Event, more bool, err error)) {
	w.Header().Set("Content-Type", sse.ContentType)
	w.Header().Set("Cache-Control", "no-store")
	w.Header().Set("X-Accel-Buffering", "no")
	flush := http.NewResponseController(w)
	if _, err := fmt.Fprint(w, "retry: 1000\n\n"); err != nil {
		return
	}
	for {
		events, more, err := next()
		if err != nil {
			return // the stream has begun: it can only break off
		}
		for _, e := range events {
			if err := sse.Encode(w, sse.Event{Id: e.ID, Event: e.Name, Data: e.Data}); err != nil {
				return
			}
		}
		if flush.Flush() != nil {
			return
		}
		if more {
			continue
		}
		quiet, stop := c.Timer(KeepAlive)
		select {
		case <-signal:
		case <-quiet:
			if _, err := fmt.Fprint(w, ": still here\n\n"); err != nil {
				stop()
				return
			}
		case <-ctx.Done():
			stop()
			return
		}
		stop()
	}
}

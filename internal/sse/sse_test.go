package sse

import (
	"bufio"
	"context"
	"errors"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"urgentparrot.example/internal/clock"
)

// stream serves what next returns to a client, and returns its lines.
func stream(t *testing.T, c clock.Clock, signal chan struct{}, next func() ([]Event, bool, error)) *bufio.Scanner {
	t.Helper()
	ctx, stop := context.WithCancel(context.Background())
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { Serve(w, ctx, c, signal, next) }))
	t.Cleanup(func() { stop(); server.Close() })
	response, err := http.Get(server.URL)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { response.Body.Close() })
	if kind := response.Header.Get("Content-Type"); !strings.HasPrefix(kind, "text/event-stream") || response.Header.Get("Cache-Control") != "no-store" {
		t.Errorf("it is served as %q", kind)
	}
	return bufio.NewScanner(response.Body)
}

func until(t *testing.T, lines *bufio.Scanner, beginning string) string {
	t.Helper()
	for lines.Scan() {
		if strings.HasPrefix(lines.Text(), beginning) {
			return lines.Text()
		}
	}
	t.Fatalf("the stream ended before %q: %v", beginning, lines.Err())
	return ""
}

func TestEventsFollowTheirSignals(t *testing.T) {
	c, signal := clock.NewWalked(time.Now()), make(chan struct{}, 1)
	pages := [][]Event{{{ID: "1", Data: map[string]string{"a": "b\nid: 9"}}}, {{ID: "2", Name: "message", Data: "two"}}, {{ID: "3", Data: 3}}}
	lines := stream(t, c, signal, func() ([]Event, bool, error) {
		if len(pages) == 0 {
			return nil, false, nil
		}
		page := pages[0]
		pages = pages[1:]
		return page, len(page) > 0 && page[0].ID == "1", nil // there is more after the first
	})
	until(t, lines, "id:1")
	if data := until(t, lines, "data:"); !strings.Contains(data, `"b\nid: 9"`) {
		t.Errorf("it says %q", data) // a line of the data is no line of the stream
	}
	until(t, lines, "id:2")
	until(t, lines, "event:message")
	signal <- struct{}{}
	until(t, lines, "id:3")
	// While nothing happens the stream shows that it is there.
	for quiet := false; !quiet; {
		if next, ok := c.Next(); ok {
			c.Walk(next)
			quiet = true
		}
	}
	until(t, lines, ": still here")
}

func TestAStreamThatFailsBreaksOff(t *testing.T) {
	lines := stream(t, clock.Real{}, nil, func() ([]Event, bool, error) { return nil, false, errors.New("the disk is gone") })
	for lines.Scan() {
		if strings.Contains(lines.Text(), "disk") {
			t.Errorf("the client reads %q", lines.Text())
		}
	}
}

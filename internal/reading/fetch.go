package reading

import (
	"context"
	"io"
	"net/http"
	"time"

	"urgentparrot.example/internal/outbound"
)

// A Fetcher reads web pages. With zero Rules it reads public addresses only. It is
// safe for concurrent use.
type Fetcher struct {
	outbound.Rules
	Pace   time.Duration // between two requests to one site; 250 ms if zero
	Reader Reader        // of what was fetched
}

// agent is how a fetcher calls itself to web servers and robots.txt.
const agent = "UrgentParrot/0.1"

// ending is a transport whose requests end with a context beside their own: the
// crawler asks for robots.txt without one.
type ending struct {
	http.RoundTripper
	ctx context.Context
}

func (e ending) RoundTrip(r *http.Request) (*http.Response, error) {
	ctx, cancel := context.WithCancel(r.Context())
	stop := context.AfterFunc(e.ctx, cancel)
	response, err := e.RoundTripper.RoundTrip(r.WithContext(ctx))
	if err != nil {
		stop()
		cancel()
		return nil, err
	}
	response.Body = &ended{response.Body, func() { stop(); cancel() }}
	if r.URL.Path == "/robots.txt" { // the crawler reads it to its end
		response.Body = struct {
			io.Reader
			io.Closer
		}{io.LimitReader(response.Body, robotsLimit), response.Body}
	}
	return response, nil
}

// robotsLimit is how much of a robots.txt is read, in bytes (RFC 9309, 2.5: at least 500
// KiB).
const robotsLimit = 512 << 10

// ended is a body that lets go of its request when it is closed.
type ended struct {
	io.ReadCloser
	letGo func()
}

func (e *ended) Close() error {
	defer e.letGo()
	return e.ReadCloser.Close()
}

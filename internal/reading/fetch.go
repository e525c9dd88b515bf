package reading

import (
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

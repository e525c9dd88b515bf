package channel

import (
	"net"
	"net/http"
	"sync"
	"time"

	"golang.org/x/time/rate"

	"urgentparrot.example/internal/clock"
)

// Limits keeps a rate per key. It is safe for concurrent use.
type Limits struct {
	clock clock.Clock
	each  rate.Limit
	burst int
	mu    sync.Mutex
	keys  map[string]*limited
}

type limited struct {
	*rate.Limiter
	used time.Time
}

// keptKeys is how many keys are remembered before idle ones are forgotten.
const keptKeys = 10_000

// NewLimits allows each key so many events a second by the clock, and burst at
// once.
func NewLimits(c clock.Clock, perSecond float64, burst int) *Limits {
	return &Limits{clock: c, each: rate.Limit(perSecond), burst: burst, keys: map[string]*limited{}}
}

// Allow reports whether one more event of the key is within its rate.
func (l *Limits) Allow(key string) bool {
	l.mu.Lock()
	defer l.mu.Unlock()
	now := l.clock.Now()
	k := l.keys[key]
	if k == nil {
		if len(l.keys) >= keptKeys {
			for other, o := range l.keys {
				if now.Sub(o.used) > time.Minute {
					delete(l.keys, other)
				}
			}
		}
		if len(l.keys) >= keptKeys {
			return false // more callers in a minute than a small service has
		}
		k = &limited{Limiter: rate.NewLimiter(l.each, l.burst)}
		l.keys[key] = k
	}
	k.used = now
	return k.AllowN(now, 1)
}

// RemoteHost is the address a request came from, without the port.
func RemoteHost(r *http.Request) string {
	host, _, err := net.SplitHostPort(r.RemoteAddr)
	if err != nil {
		return r.RemoteAddr
	}
	return host
}

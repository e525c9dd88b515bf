package channel

import (
	"net/http"
	"net/netip"
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

// keptKeys is how many keys are remembered before one is forgotten for another.
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
			l.forget()
		}
		k = &limited{Limiter: rate.NewLimiter(l.each, l.burst)}
		l.keys[key] = k
	}
	k.used = now
	return k.AllowN(now, 1)
}

// forget makes room for another key: of some, the one goes that was used longest ago.
// However many come at once, a newcomer is served.
func (l *Limits) forget() {
	const looked = 32
	oldest, n := "", 0
	for key, k := range l.keys { // in no order
		if oldest == "" || k.used.Before(l.keys[oldest].used) {
			oldest = key
		}
		if n++; n == looked {
			break
		}
	}
	delete(l.keys, oldest)
}

// RemoteHost is the address that a request came from, without the port. Of an address
// of IPv6 it is the network: one caller has a whole one (RFC 6177).
func RemoteHost(r *http.Request) string {
	at, err := netip.ParseAddrPort(r.RemoteAddr)
	if err != nil {
		return r.RemoteAddr
	}
	addr := at.Addr().Unmap()
	if addr.Is4() {
		return addr.String()
	}
	network, _ := addr.WithZone("").Prefix(64) // an address of IPv6 has so many bits
	return network.String()
}

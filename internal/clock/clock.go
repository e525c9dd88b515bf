// Package clock tells the time to whatever works over time, so that tests can
// walk it instead of waiting for it.
package clock

import (
	"context"
	"slices"
	"sync"
	"time"
)

// A Clock tells the time, and when some of it has passed. It is safe for
// concurrent use.
type Clock interface {
	Now() time.Time
	// Timer returns a channel that receives once, when so much time has passed,
	// and what calls that off.
	Timer(d time.Duration) (passed <-chan time.Time, stop func())
}

// Real is the machine's clock.
type Real struct{}

// Now returns the machine's time.
func (Real) Now() time.Time { return time.Now() }

// Timer is Clock's.
func (Real) Timer(d time.Duration) (<-chan time.Time, func()) {
	t := time.NewTimer(d)
	return t.C, func() { t.Stop() }
}

// WithTimeout is context.WithTimeout by a clock: the context ends with
// context.DeadlineExceeded as its cause once so much time has passed.
func WithTimeout(parent context.Context, c Clock, d time.Duration) (context.Context, context.CancelFunc) {
	if _, ok := c.(Real); ok {
		return context.WithTimeout(parent, d)
	}
	ctx, cancel := context.WithCancelCause(parent)
	passed, stop := c.Timer(d)
	go func() {
		defer stop()
		select {
		case <-passed:
			cancel(context.DeadlineExceeded)
		case <-ctx.Done():
		}
	}()
	return ctx, func() { cancel(context.Canceled) }
}

// Walked is a clock that stands still until it is walked on. It is for tests.
type Walked struct {
	mu     sync.Mutex
	now    time.Time
	timers []*walkedTimer
}

type walkedTimer struct {
	at     time.Time
	passed chan time.Time
}

// NewWalked returns a clock that stands at a time.
func NewWalked(at time.Time) *Walked { return &Walked{now: at} }

// Now returns where the clock stands.
func (w *Walked) Now() time.Time {
	w.mu.Lock()
	defer w.mu.Unlock()
	return w.now
}

// Timer is Clock's.
func (w *Walked) Timer(d time.Duration) (<-chan time.Time, func()) {
	w.mu.Lock()
	defer w.mu.Unlock()
	t := &walkedTimer{w.now.Add(d), make(chan time.Time, 1)}
	if d <= 0 {
		t.passed <- w.now
		return t.passed, func() {}
	}
	w.timers = append(w.timers, t)
	return t.passed, func() {
		w.mu.Lock()
		defer w.mu.Unlock()
		w.timers = slices.DeleteFunc(w.timers, func(o *walkedTimer) bool { return o == t })
	}
}

// Walk moves the clock on, and fires the timers that it passes, in order.
func (w *Walked) Walk(d time.Duration) {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.now = w.now.Add(d)
	slices.SortStableFunc(w.timers, func(a, b *walkedTimer) int { return a.at.Compare(b.at) })
	for len(w.timers) > 0 && !w.timers[0].at.After(w.now) {
		w.timers[0].passed <- w.now
		w.timers = w.timers[1:]
	}
}

// Next returns how long it is until the next timer; false if none is set.
func (w *Walked) Next() (time.Duration, bool) {
	w.mu.Lock()
	defer w.mu.Unlock()
	if len(w.timers) == 0 {
		return 0, false
	}
	next := slices.MinFunc(w.timers, func(a, b *walkedTimer) int { return a.at.Compare(b.at) })
	return next.at.Sub(w.now), true
}

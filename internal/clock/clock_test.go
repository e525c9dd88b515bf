package clock

import (
	"context"
	"errors"
	"testing"
	"time"
)

func TestAWalkedClockFiresWhatItPasses(t *testing.T) {
	start := time.Date(2026, 11, 26, 9, 0, 0, 0, time.UTC)
	c := NewWalked(start)
	soon, _ := c.Timer(time.Minute)
	later, _ := c.Timer(time.Hour)
	never, stop := c.Timer(time.Minute)
	at, _ := c.Timer(0)
	stop()
	fired := func(timer <-chan time.Time) bool {
		select {
		case <-timer:
			return true
		default:
			return false
		}
	}
	if !fired(at) || fired(soon) {
		t.Error("only what is due at once fires before the clock is walked")
	}
	if next, ok := c.Next(); !ok || next != time.Minute {
		t.Errorf("the next timer is in %s, %v", next, ok)
	}
	c.Walk(59 * time.Second)
	if fired(soon) {
		t.Error("a minute had passed after 59 seconds")
	}
	c.Walk(time.Second)
	if !fired(soon) || fired(later) || fired(never) {
		t.Error("after a minute the timer of a minute fires, and no other")
	}
	c.Walk(24 * time.Hour)
	if !fired(later) || !c.Now().Equal(start.Add(24*time.Hour+time.Minute)) {
		t.Errorf("it is %s", c.Now())
	}
	if _, ok := c.Next(); ok {
		t.Error("a timer is left")
	}
}

func TestAContextEndsByTheClock(t *testing.T) {
	c := NewWalked(time.Now())
	ctx, cancel := WithTimeout(t.Context(), c, time.Second)
	defer cancel()
	if ctx.Err() != nil {
		t.Error("it ended before the clock was walked")
	}
	c.Walk(time.Second)
	<-ctx.Done()
	if !errors.Is(context.Cause(ctx), context.DeadlineExceeded) {
		t.Errorf("it ended for %v", context.Cause(ctx))
	}
	real, cancel := WithTimeout(t.Context(), Real{}, time.Hour)
	if _, ok := real.Deadline(); !ok {
		t.Error("the machine's clock sets no deadline")
	}
	cancel()
}

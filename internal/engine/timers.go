package engine

import (
	"context"
	"fmt"
	"sync"
	"time"

	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/safely"
	"urgentparrot.example/internal/store"
)

// Timers are what is to happen at a time. They are rows in the store, so they
// survive a restart, and cost nothing until they are due: one clock sleeps until
// the next one is. Late ones happen once, in order.
type Timers struct {
	w     *Workspace
	due   chan struct{} // wakes the clock: the next one may have changed
	ended sync.WaitGroup
}

// timerKinds say what happens when a timer of a kind is due: what is written with
// its end, and what is done after that.
var timerKinds = map[string]timerKind{
	// A turn looks at a conversation again.
	"look": {nil, func(w *Workspace, timer store.Timer) { w.turns.signal(timer.Subject) }},
	// A turn is told that the time has come.
	"wake": {
		func(tx *store.Tx, timer store.Timer) error {
			return tx.Wake(timer.Subject, string(dialogue.ByTimer), timer.Body)
		},
		func(w *Workspace, timer store.Timer) { w.turns.signal(timer.Subject) },
	},
	// What a run of a flow waits for has come.
	"run": {
		func(tx *store.Tx, timer store.Timer) error { return tellTime(tx, timer) },
		func(w *Workspace, timer store.Timer) { w.Flows.lookAgain(timer.Subject) },
	},
	// A conversation in which nobody has written for a while may start flows.
	"idle": {func(tx *store.Tx, timer store.Timer) error { return tx.Idle(timer.Subject, timer.Body) }, nil},
	// Nobody has come in although a customer was promised so.
	"promise": {nil, (*Workspace).promiseDue},
	// A reply has been held for long.
	"held": {nil, (*Workspace).heldTooLong},
	// So may a time of the calendar.
	"schedule": {nil, func(w *Workspace, timer store.Timer) { w.Flows.scheduled(timer) }},
}

type timerKind struct {
	write func(tx *store.Tx, timer store.Timer) error
	then  func(w *Workspace, timer store.Timer)
}

func newTimers(w *Workspace) *Timers { return &Timers{w: w, due: make(chan struct{}, 1)} }

// set sets a timer, in place of the one with its id.
func (t *Timers) set(ctx context.Context, timer store.Timer) error {
	if _, ok := timerKinds[timer.Kind]; !ok {
		return fmt.Errorf("there is no kind of timer called %q", timer.Kind)
	}
	err := t.w.store.Write(ctx, func(tx *store.Tx) error { return tx.PutTimer(timer) })
	if err == nil {
		t.nudge()
	}
	return err
}

func (t *Timers) nudge() {
	select {
	case t.due <- struct{}{}:
	default:
	}
}

// Wake wakes a conversation's turn at a time, with what body holds as JSON. One
// that is set under the same key takes the place of the earlier one.
func (t *Timers) Wake(ctx context.Context, conversation, key, body string, at time.Time) error {
	return t.set(ctx, store.Timer{ID: "wake/" + conversation + "/" + key, Kind: "wake", Subject: conversation, Body: body, DueAt: at})
}

// timersAtOnce is how many timers are looked at together.
const timersAtOnce = 64

func (t *Timers) run() {
	const longest = time.Hour
	for {
		wait := longest
		list, err := t.w.store.Timers(t.w.running, timersAtOnce)
		now := t.w.Clock.Now()
		for _, timer := range list {
			if timer.DueAt.After(now) {
				wait = min(wait, timer.DueAt.Sub(now))
				break
			}
			wait = 0 // there may be more
			if err = safely.Do(func() error { return t.fire(timer) }); err != nil {
				break
			}
		}
		if t.w.running.Err() != nil {
			return
		}
		if err != nil {
			t.w.log.Error("timers cannot be read or ended; it will be tried again", "error", err)
			wait = t.w.options.RetryBase
		}
		if wait == 0 {
			continue
		}
		passed, stop := t.w.Clock.Timer(wait)
		select {
		case <-passed:
		case <-t.due:
		case <-t.w.running.Done():
			stop()
			return
		}
		stop()
	}
}

// fire ends a timer that is due, with what it was set for.
func (t *Timers) fire(timer store.Timer) error {
	kind, known := timerKinds[timer.Kind]
	if !known {
		t.w.log.Error("a timer of an unknown kind is dropped", "kind", timer.Kind, "subject", timer.Subject)
	}
	taken := false
	err := t.w.store.Write(t.w.running, func(tx *store.Tx) (err error) {
		if taken, err = tx.TakeTimer(timer); err != nil || !taken || kind.write == nil {
			return err
		}
		return kind.write(tx, timer)
	})
	if err == nil && taken && kind.then != nil {
		kind.then(t.w, timer)
	}
	return err
}

package engine

import (
	"context"
	"errors"
	"sync"
	"time"

	"urgentparrot.example/internal/clock"
	"urgentparrot.example/internal/outbound"
	"urgentparrot.example/internal/store"
)

// atOnce is how many effects are carried out at the same time.
const atOnce = 64

// An Outbox carries effects out: those of one lane in order, several lanes at
// once.
type Outbox struct {
	w     *Workspace
	ctx   context.Context
	stop  context.CancelFunc
	slots chan struct{}
	ended sync.WaitGroup

	mu     sync.Mutex
	lanes  map[string][]store.Effect // what waits; a lane that is there is at work
	onWire map[string]*flight        // effects of a bot under way, by conversation and id
	hushed map[string]string         // by conversation: effects of a bot up to this id are cancelled
}

// A flight is an effect of a bot under way.
type flight struct {
	conversation string
	cancel       context.CancelFunc
	landed       chan struct{}
}

func newOutbox(w *Workspace) *Outbox {
	ctx, stop := context.WithCancel(context.Background())
	return &Outbox{w: w, ctx: ctx, stop: stop, slots: make(chan struct{}, atOnce), lanes: map[string][]store.Effect{}, onWire: map[string]*flight{}, hushed: map[string]string{}}
}

// add takes effects that have been committed.
func (o *Outbox) add(effects ...store.Effect) {
	o.mu.Lock()
	defer o.mu.Unlock()
	for _, e := range effects {
		waiting, atWork := o.lanes[e.Lane]
		o.lanes[e.Lane] = append(waiting, e)
		if !atWork && o.ctx.Err() == nil {
			o.ended.Add(1)
			go o.run(e.Lane)
		}
	}
}

// run works a lane off, and ends when it is empty.
func (o *Outbox) run(lane string) {
	defer o.ended.Done()
	for {
		o.mu.Lock()
		if len(o.lanes[lane]) == 0 {
			delete(o.lanes, lane)
			o.mu.Unlock()
			return
		}
		e := o.lanes[lane][0]
		o.mu.Unlock()
		if !o.try(&e) {
			return // the workspace is being closed; the rest waits in the store
		}
		o.mu.Lock()
		o.lanes[lane] = o.lanes[lane][1:]
		o.mu.Unlock()
	}
}

// try carries an effect out, again and again until it is settled. It reports
// false if the outbox was closed first.
func (o *Outbox) try(e *store.Effect) bool {
	for {
		if wait := e.NextAt.Sub(o.w.Clock.Now()); wait > 0 {
			passed, stop := o.w.Clock.Timer(wait)
			select {
			case <-passed:
			case <-o.ctx.Done():
				stop()
				return false
			}
		}
		select {
		case o.slots <- struct{}{}:
		case <-o.ctx.Done():
			return false
		}
		ctx, land, may := o.takeOff(*e)
		next := time.Time{}
		if may {
			next = o.carryOut(ctx, *e)
		}
		land()
		<-o.slots
		if o.ctx.Err() != nil {
			return false
		}
		if next.IsZero() {
			return true
		}
		e.Attempts++
		e.NextAt = next
	}
}

// carryOut carries one effect out and records what came of it. It returns when
// to try again, or zero if the effect is settled.
func (o *Outbox) carryOut(ctx context.Context, e store.Effect) time.Time {
	w := o.w
	kind, known := w.effects[e.Kind]
	known = known && kind.Carry != nil
	var result any
	err := errUnknownKind
	if known {
		limited, cancel := clock.WithTimeout(ctx, w.Clock, kind.Time(w, e))
		result, err = w.carry(limited, kind, e)
		if err != nil && ctx.Err() == nil && limited.Err() != nil {
			err = errors.Join(err, context.Cause(limited))
		}
		cancel()
	}
	e.Attempts++
	switch {
	case err == nil && kind.Settle != nil:
		err = w.settle(func(tx *store.Tx) error {
			return errors.Join(tx.FinishEffects([]string{e.ID}), kind.Settle(tx, e, result))
		})
	case err == nil:
		w.finished.add(e.ID)
	default:
		if w.running.Err() != nil {
			return w.Clock.Now() // broken off by the close: it stays pending
		}
		e.Error = err.Error()
		giveUp := kind.GiveUp
		if giveUp == 0 {
			giveUp = w.options.GiveUp
		}
		if !errors.Is(err, outbound.ErrRefused) && w.Clock.Now().Sub(e.CreatedAt) <= giveUp {
			e.NextAt = w.Clock.Now().Add(w.backOff(e.Attempts))
			w.log.Info("an effect will be tried again", "kind", e.Kind, "effect", e.ID, "attempt", e.Attempts, "error", err)
			if err := w.settle(func(tx *store.Tx) error { return tx.PostponeEffect(e) }); err != nil {
				w.log.Error("a failed try could not be recorded", "effect", e.ID, "error", err)
			}
			return e.NextAt
		}
		w.log.Warn("an effect was given up", "kind", e.Kind, "effect", e.ID, "error", err)
		err = w.settle(func(tx *store.Tx) error {
			failed, err := tx.FailEffect(e, w.Clock.Now())
			if err != nil || !failed || kind.Settle == nil {
				return err
			}
			return kind.Settle(tx, e, result)
		})
	}
	if err != nil {
		w.log.Error("what came of an effect could not be recorded", "effect", e.ID, "error", err)
		return w.Clock.Now().Add(w.options.RetryBase)
	}
	if kind.Settle != nil && e.ConversationID != "" {
		w.turns.signal(e.ConversationID)
	}
	return time.Time{}
}

// errUnknownKind is the end of an effect that another version left behind.
var errUnknownKind = errors.Join(outbound.ErrRefused, errors.New("this version knows no effects of its kind"))

// settle records what came of an effect, also while the workspace is closing.
func (w *Workspace) settle(work func(*store.Tx) error) error {
	return w.write(context.WithoutCancel(w.running), work)
}

// takeOff notes an effect of a bot as under way. It reports false if the effect
// was cancelled.
func (o *Outbox) takeOff(e store.Effect) (context.Context, func(), bool) {
	ctx, cancel := context.WithCancel(o.ctx)
	if !e.OfBot {
		return ctx, cancel, true
	}
	f := &flight{e.ConversationID, cancel, make(chan struct{})}
	o.mu.Lock()
	defer o.mu.Unlock()
	if e.ID <= o.hushed[e.ConversationID] {
		return ctx, cancel, false
	}
	o.onWire[e.ID] = f
	return ctx, func() {
		cancel()
		o.mu.Lock()
		delete(o.onWire, e.ID)
		o.mu.Unlock()
		close(f.landed)
	}, true
}

// grace is how long what is under way may still take when a person comes in.
const grace = 300 * time.Millisecond

// hush cancels what bots were to do in a conversation up to now, and waits until
// nothing of theirs is under way, breaking it off if it takes long. The same must
// have been cancelled in the store before. Ids sort by time, so what a bot says
// later is not meant.
func (o *Outbox) hush(conversationID string) {
	var flights []*flight
	o.mu.Lock()
	o.hushed[conversationID] = store.NewID()
	for _, f := range o.onWire {
		if f.conversation == conversationID {
			flights = append(flights, f)
		}
	}
	o.mu.Unlock()
	if len(flights) == 0 {
		return
	}
	passed, stop := o.w.Clock.Timer(grace)
	defer stop()
	for _, f := range flights {
		select {
		case <-f.landed:
		case <-passed:
			for _, f := range flights {
				f.cancel()
			}
			<-f.landed
		}
	}
}

// Retry makes an effect that was given up due again; one that was not is
// store.ErrNotFound.
func (o *Outbox) Retry(ctx context.Context, id string) error {
	e, err := o.w.store.Effect(ctx, id)
	if err != nil {
		return err
	}
	was, now := false, o.w.Clock.Now()
	if err := o.w.write(ctx, func(tx *store.Tx) (err error) {
		was, err = tx.RetryEffect(id, now)
		return err
	}); err != nil {
		return err
	}
	if !was {
		return store.ErrNotFound
	}
	e.Attempts, e.NextAt, e.CreatedAt = 0, now, now
	o.add(e)
	return nil
}

// close breaks off what is under way.
func (o *Outbox) close() {
	o.mu.Lock()
	o.stop()
	o.mu.Unlock()
	o.ended.Wait()
}

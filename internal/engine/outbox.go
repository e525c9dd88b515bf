package engine

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"sync/atomic"
	"time"

	"urgentparrot.example/internal/clock"
	"urgentparrot.example/internal/outbound"
	"urgentparrot.example/internal/store"
)

// atOnce is how many effects are carried to one place at the same time.
const atOnce = 32

// An Outbox carries effects out: those of one lane in order, several lanes at
// once.
type Outbox struct {
	w     *Workspace
	ctx   context.Context
	stop  context.CancelFunc
	ended sync.WaitGroup

	mu      sync.Mutex
	lanes   map[string][]store.Effect // what waits; a lane that is there is at work
	flights map[string]*flight        // those of bots, by id
	slots   map[string]chan struct{}  // by place
	hushed  map[string]hushing        // by conversation: effects of a bot up to this id are cancelled

	// renamed says that documents have got other names: what waits may name them otherwise in
	// the store by now.
	renamed atomic.Bool
}

// A hushing is the end of what a bot was to do in a conversation.
type hushing struct {
	upTo string // the id
	at   time.Time
}

// A flight is an effect that waits for its time, or is under way.
type flight struct {
	conversation, id string
	ctx              context.Context
	cancel           context.CancelFunc
	landed           chan struct{}
	underWay         bool // guarded by the outbox's lock
}

func newOutbox(w *Workspace) *Outbox {
	ctx, stop := context.WithCancel(context.Background())
	return &Outbox{w: w, ctx: ctx, stop: stop, slots: map[string]chan struct{}{}, lanes: map[string][]store.Effect{}, flights: map[string]*flight{}, hushed: map[string]hushing{}}
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
	slots := o.slotsOf(*e)
	for o.ctx.Err() == nil {
		f := o.takeOff(*e)
		if f == nil {
			return true // it was cancelled
		}
		next := time.Time{}
		due, crowded := o.await(f, *e, slots)
		if due && o.renamed.Load() {
			if now, err := o.w.store.Effect(f.ctx, e.ID); err == nil {
				e.Body = now.Body
			}
		}
		switch {
		case crowded:
			next = o.carryOut(f.ctx, *e, errCrowded)
		case due:
			next = o.carryOut(f.ctx, *e, nil)
			<-slots
		}
		o.land(f)
		switch {
		case o.ctx.Err() != nil:
			return false
		case due && next.IsZero():
			return true
		case due:
			e.Attempts++
			e.NextAt = next
		}
	}
	return false
}

// slotsOf returns what bounds the effects that are carried to a place.
func (o *Outbox) slotsOf(e store.Effect) chan struct{} {
	place, most := o.w.place(e), atOnce
	if kind := o.w.effects[e.Kind]; kind.AtOnce != nil {
		most = kind.AtOnce(o.w, e)
		place = fmt.Sprintf("%s, %d at once", place, most) // the number may be changed
	}
	o.mu.Lock()
	defer o.mu.Unlock()
	if o.slots[place] == nil {
		o.slots[place] = make(chan struct{}, most)
	}
	return o.slots[place]
}

// errCrowded is the end of an effect for which there was no room in time.
var errCrowded = errors.Join(outbound.ErrRefused, errors.New("there was no room in time: as many requests as may be are under way"))

// await waits until an effect is due and has a place. It reports neither if the waiting
// was ended first, by a person who came in or by the close; crowded if there was no place
// for as long as the effect may wait for one.
func (o *Outbox) await(f *flight, e store.Effect, slots chan struct{}) (due, crowded bool) {
	if wait := e.NextAt.Sub(o.w.Clock.Now()); wait > 0 {
		passed, stop := o.w.Clock.Timer(wait)
		defer stop()
		select {
		case <-passed:
		case <-f.ctx.Done():
			return false, false
		}
	}
	select {
	case slots <- struct{}{}:
	default:
		var impatient <-chan time.Time
		if kind := o.w.effects[e.Kind]; kind.Patience != nil {
			passed, stop := o.w.Clock.Timer(kind.Patience(o.w, e))
			defer stop()
			impatient = passed
		}
		select {
		case slots <- struct{}{}:
		case <-impatient:
			return true, true
		case <-f.ctx.Done():
			return false, false
		}
	}
	o.mu.Lock()
	defer o.mu.Unlock()
	if f.ctx.Err() != nil {
		<-slots
		return false, false
	}
	f.underWay = true
	return true, false
}

// carryOut carries one effect out, unless there is a reason against it, and records what
// came of it. It returns when to try again, or zero if the effect is settled.
func (o *Outbox) carryOut(ctx context.Context, e store.Effect, against error) time.Time {
	w := o.w
	kind, known := w.effects[e.Kind]
	known = known && kind.Carry != nil
	var result any
	err := errUnknownKind
	switch {
	case against != nil:
		err = against
	case known:
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
	if kind.Then != nil {
		kind.Then(w, e)
	}
	return time.Time{}
}

// errUnknownKind is the end of an effect that another version left behind.
var errUnknownKind = errors.Join(outbound.ErrRefused, errors.New("this version knows no effects of its kind"))

// settle records what came of an effect, also while the workspace is closing.
func (w *Workspace) settle(work func(*store.Tx) error) error {
	return w.write(context.WithoutCancel(w.running), work)
}

// takeOff notes an effect as waiting for its time, or under way. It returns nil if
// the effect is a bot's and was cancelled.
func (o *Outbox) takeOff(e store.Effect) *flight {
	f := &flight{conversation: e.ConversationID, id: e.ID, landed: make(chan struct{})}
	o.mu.Lock()
	defer o.mu.Unlock()
	if e.OfBot && e.ID <= o.hushed[e.ConversationID].upTo {
		return nil
	}
	f.ctx, f.cancel = context.WithCancel(o.ctx)
	if e.OfBot {
		o.flights[e.ID] = f
	}
	return f
}

func (o *Outbox) land(f *flight) {
	f.cancel()
	o.mu.Lock()
	delete(o.flights, f.id)
	o.mu.Unlock()
	close(f.landed)
}

// grace is how long what is under way may still take when a person comes in.
const grace = 300 * time.Millisecond

// hush cancels what bots were to do in a conversation up to now, and waits until
// nothing of theirs is under way, breaking it off if it takes long. What only waits
// for its time is ended at once, so that a person's words need not wait behind it.
// The same must have been cancelled in the store before. Ids sort by time, so what
// a bot says later is not meant.
func (o *Outbox) hush(conversationID string) {
	var flights []*flight
	o.mu.Lock()
	o.hushed[conversationID] = hushing{store.NewID(), o.w.Clock.Now()}
	for _, f := range o.flights {
		if f.conversation != conversationID {
			continue
		}
		if !f.underWay {
			f.cancel()
		}
		flights = append(flights, f)
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

// hushedFor is how long it is remembered that bots were silenced, at least: longer than
// an effect takes from its commit into the outbox.
const hushedFor = time.Hour

// sweep forgets where bots were silenced, once nothing waits that it could stop.
func (o *Outbox) sweep() {
	o.mu.Lock()
	defer o.mu.Unlock()
	waits := map[string]bool{}
	for _, lane := range o.lanes {
		for _, e := range lane {
			waits[e.ConversationID] = true
		}
	}
	for id, h := range o.hushed {
		if !waits[id] && o.w.Clock.Now().Sub(h.at) > hushedFor {
			delete(o.hushed, id)
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

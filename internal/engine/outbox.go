package engine

import (
	"context"
	"sync"
	"time"

	"urgentparrot.example/internal/store"
)

// atOnce is how many effects are carried out at the same time.
const atOnce = 64

// An outbox carries effects out: those of one lane in order, several lanes at
// once.
type outbox struct {
	// carry carries one effect out. It returns the time of the next try, or zero
	// if the effect is settled.
	carry func(ctx context.Context, e store.Effect) time.Time
	ctx   context.Context
	stop  context.CancelFunc
	slots chan struct{}
	ended sync.WaitGroup

	mu     sync.Mutex
	lanes  map[string][]store.Effect // what waits; a lane that is there is at work
	onWire map[string]*flight        // sends of a bot under way, by conversation
	hushed map[string]string         // by conversation: sends of a bot up to this id are cancelled
}

// A flight is one send under way.
type flight struct {
	cancel context.CancelFunc
	landed chan struct{}
}

func newOutbox(carry func(context.Context, store.Effect) time.Time) *outbox {
	ctx, stop := context.WithCancel(context.Background())
	return &outbox{carry: carry, ctx: ctx, stop: stop, slots: make(chan struct{}, atOnce), lanes: map[string][]store.Effect{}, onWire: map[string]*flight{}, hushed: map[string]string{}}
}

// add takes effects that have been committed.
func (o *outbox) add(effects ...store.Effect) {
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
func (o *outbox) run(lane string) {
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
func (o *outbox) try(e *store.Effect) bool {
	for {
		if wait := time.Until(e.NextAt); wait > 0 {
			select {
			case <-time.After(wait):
			case <-o.ctx.Done():
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
			next = o.carry(ctx, *e)
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

// takeOff notes a bot's send as under way. It reports false if the send was
// cancelled.
func (o *outbox) takeOff(e store.Effect) (context.Context, func(), bool) {
	ctx, cancel := context.WithCancel(o.ctx)
	if e.Kind != store.Send || !e.ByBot {
		return ctx, cancel, true
	}
	f := &flight{cancel, make(chan struct{})}
	o.mu.Lock()
	defer o.mu.Unlock()
	if e.ID <= o.hushed[e.ConversationID] {
		return ctx, cancel, false
	}
	o.onWire[e.ConversationID] = f
	return ctx, func() {
		cancel()
		o.mu.Lock()
		delete(o.onWire, e.ConversationID)
		o.mu.Unlock()
		close(f.landed)
	}, true
}

// grace is how long a send that is under way may still take when a person comes
// in.
const grace = 300 * time.Millisecond

// hush cancels what bots were to send in a conversation up to now, and waits
// until nothing of theirs is under way, breaking it off if it takes long. The
// same must have been cancelled in the store before. Ids sort by time, so what a
// bot says later is not meant.
func (o *outbox) hush(conversationID string) {
	o.mu.Lock()
	o.hushed[conversationID] = store.NewID()
	f := o.onWire[conversationID]
	o.mu.Unlock()
	if f == nil {
		return
	}
	select {
	case <-f.landed:
	case <-time.After(grace):
		f.cancel()
		<-f.landed
	}
}

// close breaks off what is under way.
func (o *outbox) close() {
	o.mu.Lock()
	o.stop()
	o.mu.Unlock()
	o.ended.Wait()
}

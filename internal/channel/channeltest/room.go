// Package channeltest holds the means to test adapters: a room in memory, a channel
// that a test plays the other side of, and the conformance test that every adapter
// passes.
package channeltest

import (
	"context"
	"fmt"
	"log/slog"
	"net/http"
	"slices"
	"sync"
	"time"

	"urgentparrot.example/internal/channel"
	"urgentparrot.example/internal/clock"
	"urgentparrot.example/internal/core/message"
)

// A Room keeps in memory what a channel brings. The zero Room is ready for use; it
// is safe for concurrent use.
type Room struct {
	mu       sync.Mutex
	failing  error
	received []channel.Incoming
	known    map[string]channel.Received
	said     map[string][]channel.Said
	watching map[string]map[chan struct{}]struct{}
	kept     map[string]string

	undelivered []string
	drafts      []channel.Outgoing
	signal      chan struct{}
	discarded   []string
	sent        []channel.Incoming
	wanted      []channel.Incoming
	taught      []channel.Taught
}

// Fail makes Receive fail from now on; nil makes it work again.
func (r *Room) Fail(err error) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.failing = err
}

// Received returns what was received, without repeats.
func (r *Room) Received() []channel.Incoming {
	r.mu.Lock()
	defer r.mu.Unlock()
	return append([]channel.Incoming{}, r.received...)
}

// Say says something to a handle, and returns its id.
func (r *Room) Say(address, words string) string {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.said == nil {
		r.said = map[string][]channel.Said{}
	}
	id := fmt.Sprintf("%08d", len(r.said[address])+1)
	r.said[address] = append(r.said[address], channel.Said{ID: id, Author: "bot", Name: "Pip", Text: words, Parts: message.Of(words), At: time.Unix(0, 0).UTC()})
	for signal := range r.watching[address] {
		select {
		case signal <- struct{}{}:
		default:
		}
	}
	return id
}

// Receive is channel.Room's.
func (r *Room) Receive(ctx context.Context, in channel.Incoming) (channel.Received, error) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.failing != nil {
		return channel.Received{}, r.failing
	}
	if r.known == nil {
		r.known = map[string]channel.Received{}
	}
	if known, ok := r.known[in.ExternalID]; ok {
		known.Repeat = true
		return known, nil
	}
	r.received = append(r.received, in)
	r.known[in.ExternalID] = channel.Received{Message: fmt.Sprint("m-", len(r.received)), Conversation: "c-" + in.Address}
	return r.known[in.ExternalID], ctx.Err()
}

// Said is channel.Room's.
func (r *Room) Said(_ context.Context, address, after string) (list []channel.Said, more bool, err error) {
	r.mu.Lock()
	defer r.mu.Unlock()
	for _, m := range r.said[address] {
		if m.ID > after {
			list = append(list, m)
		}
	}
	return list, false, nil
}

// Watch is channel.Room's.
func (r *Room) Watch(address string) (<-chan struct{}, func()) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.watching == nil {
		r.watching = map[string]map[chan struct{}]struct{}{}
	}
	if r.watching[address] == nil {
		r.watching[address] = map[chan struct{}]struct{}{}
	}
	signal := make(chan struct{}, 1)
	r.watching[address][signal] = struct{}{}
	return signal, func() {
		r.mu.Lock()
		defer r.mu.Unlock()
		delete(r.watching[address], signal)
	}
}

// Undelivered is channel.Room's.
func (r *Room) Undelivered(_ context.Context, message, why string) error {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.undelivered = append(r.undelivered, message+": "+why)
	return r.failing
}

// NotDelivered returns what Undelivered was told.
func (r *Room) NotDelivered() []string {
	r.mu.Lock()
	defer r.mu.Unlock()
	return append([]string{}, r.undelivered...)
}

// Lay has replies lie among the drafts of the other side from now on.
func (r *Room) Lay(drafts ...channel.Outgoing) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.drafts = drafts
	select {
	case r.changed() <- struct{}{}:
	default:
	}
}

func (r *Room) changed() chan struct{} {
	if r.signal == nil {
		r.signal = make(chan struct{}, 1)
	}
	return r.signal
}

// Drafts is channel.Room's.
func (r *Room) Drafts(context.Context) ([]channel.Outgoing, error) {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.drafts, r.failing
}

// Changed is channel.Room's.
func (r *Room) Changed() (<-chan struct{}, func()) {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.changed(), func() {}
}

// Discarded is channel.Room's.
func (r *Room) Discarded(_ context.Context, message string) error {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.discarded = append(r.discarded, message)
	r.drafts = slices.DeleteFunc(slices.Clone(r.drafts), func(o channel.Outgoing) bool { return o.ID == message })
	return r.failing
}

// WereDiscarded returns the drafts that were deleted.
func (r *Room) WereDiscarded() []string {
	r.mu.Lock()
	defer r.mu.Unlock()
	return slices.Clone(r.discarded)
}

// Sent is channel.Room's.
func (r *Room) Sent(_ context.Context, in channel.Incoming) error {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.sent = append(r.sent, in)
	return r.failing
}

// WereSent returns what was sent past the product.
func (r *Room) WereSent() []channel.Incoming {
	r.mu.Lock()
	defer r.mu.Unlock()
	return slices.Clone(r.sent)
}

// Wanted is channel.Room's.
func (r *Room) Wanted(_ context.Context, in channel.Incoming) error {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.wanted = append(r.wanted, in)
	return r.failing
}

// WereWanted returns the messages to which a draft was wanted.
func (r *Room) WereWanted() []channel.Incoming {
	r.mu.Lock()
	defer r.mu.Unlock()
	return slices.Clone(r.wanted)
}

// Teach is channel.Room's.
func (r *Room) Teach(_ context.Context, t channel.Taught) error {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.taught = append(r.taught, t)
	return r.failing
}

// WereTaught returns the messages that knowledge was to be made of.
func (r *Room) WereTaught() []channel.Taught {
	r.mu.Lock()
	defer r.mu.Unlock()
	return slices.Clone(r.taught)
}

// Recall is channel.Room's.
func (r *Room) Recall(_ context.Context, name string) (string, error) {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.kept[name], r.failing
}

// Keep is channel.Room's.
func (r *Room) Keep(_ context.Context, name, value string) error {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.kept == nil {
		r.kept = map[string]string{}
	}
	r.kept[name] = value
	return r.failing
}

// Setup returns what an adapter works with over a room.
func (r *Room) Setup(c clock.Clock) channel.Setup {
	return channel.Setup{
		Room: r, Title: func() string { return "Brackwater Ferries" }, Key: []byte("a key that only this test knows."),
		Client: http.DefaultClient, Clock: c, Log: slog.New(slog.DiscardHandler),
	}
}

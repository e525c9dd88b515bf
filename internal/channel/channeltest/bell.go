package channeltest

import (
	"context"
	"net/http"
	"sync"

	"urgentparrot.example/internal/channel"
	"urgentparrot.example/internal/core/contact"
	"urgentparrot.example/internal/core/document"
	"urgentparrot.example/internal/core/workspace"
)

// A Bell is a protocol whose other side is the test: it rings when a customer
// writes, and keeps what it was given to carry. Its kind plugs into a workspace
// like any other. The zero Bell is ready for use; it is safe for concurrent use.
type Bell struct {
	mu     sync.Mutex
	rooms  map[string]channel.Room // by channel, while it is open
	opened map[string]int
	closed map[string]int
	sent   []channel.Outgoing

	// OnSend, if any, decides what comes of carrying a message.
	OnSend func(ctx context.Context, m channel.Outgoing) error
	// OnRun, if any, runs while the channel is open.
	OnRun func(ctx context.Context) error
}

// BellSettings are those of a channel with a bell.
type BellSettings struct {
	workspace.Channel `yaml:",inline"`

	Tone string `yaml:"tone"`
}

// CheckOwn is channel.Settings'.
func (s *BellSettings) CheckOwn(c *document.Checker) {
	if s.Tone == "" {
		c.Wrong("$.tone", "a bell needs a tone")
	}
}

// Kind returns the kind of channel.
func (b *Bell) Kind() channel.Kind {
	return channel.Kind{
		Name: "bell", Title: "Bell", Path: "bell",
		Settings: func() channel.Settings { return &BellSettings{} },
		Open: func(s channel.Settings, setup channel.Setup) (channel.Adapter, error) {
			b.mu.Lock()
			defer b.mu.Unlock()
			if b.rooms == nil {
				b.rooms, b.opened, b.closed = map[string]channel.Room{}, map[string]int{}, map[string]int{}
			}
			name := s.Named()
			b.rooms[name] = setup.Room
			b.opened[name]++
			return &ringing{b, name}, nil
		},
		Example: "channel: bell\nkind: bell\nbot: front-desk\ntone: high\n",
	}
}

// Ring has a customer write on a channel.
func (b *Bell) Ring(ctx context.Context, name, address, id, words string) (channel.Received, error) {
	b.mu.Lock()
	room := b.rooms[name]
	b.mu.Unlock()
	if room == nil {
		return channel.Received{}, context.Canceled
	}
	return room.Receive(ctx, channel.Incoming{Address: address, ExternalID: id, Text: words})
}

// Sent returns what was carried, in order.
func (b *Bell) Sent() []channel.Outgoing {
	b.mu.Lock()
	defer b.mu.Unlock()
	return append([]channel.Outgoing{}, b.sent...)
}

// Opened returns how often the adapter of a channel was opened and closed.
func (b *Bell) Opened(name string) (opened, closed int) {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.opened[name], b.closed[name]
}

// ringing is the adapter of one channel.
type ringing struct {
	b    *Bell
	name string
}

func (r *ringing) Abilities() workspace.Abilities {
	return workspace.Abilities{Limit: 600, Handle: contact.Phone}
}

func (r *ringing) Handler() http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) { w.WriteHeader(http.StatusNoContent) })
}

func (r *ringing) Sender() channel.Sender { return r }

func (r *ringing) Send(ctx context.Context, m channel.Outgoing) error {
	if r.b.OnSend != nil {
		if err := r.b.OnSend(ctx, m); err != nil {
			return err
		}
	}
	r.b.mu.Lock()
	defer r.b.mu.Unlock()
	r.b.sent = append(r.b.sent, m)
	return nil
}

func (r *ringing) Run(ctx context.Context) error {
	if r.b.OnRun != nil {
		return r.b.OnRun(ctx)
	}
	return nil
}

func (r *ringing) Close() error {
	r.b.mu.Lock()
	defer r.b.mu.Unlock()
	r.b.closed[r.name]++
	return nil
}

package engine

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"time"

	"urgentparrot.example/internal/channel"
	"urgentparrot.example/internal/core/workspace"
	"urgentparrot.example/internal/store"
)

// Look has a channel look for what is new at once. One that is told by the other side, or is
// not there, is ErrUnknown.
func (c *Channels) Look(name string) error {
	ch := c.named(name)
	if ch == nil {
		return store.ErrNotFound
	}
	looker, ok := ch.adapter.(channel.Looker)
	if !ok {
		return fmt.Errorf("%wthe channel %s has nothing to look for: what comes in is brought to it", ErrUnknown, name)
	}
	looker.Look()
	return nil
}

// ForAddress is the channel that takes what is brought to an address, "" if none does.
func (c *Channels) ForAddress(address string) string {
	for name, ch := range *c.open.Load() {
		if taker, ok := ch.adapter.(channel.Taker); ok && taker.Takes(address) {
			return name
		}
	}
	return ""
}

// Take hands a message as it comes to a channel. Once it returns without an error, the message
// is on disk.
func (c *Channels) Take(ctx context.Context, name string, raw []byte, by channel.Bringer) error {
	ch := c.named(name)
	if ch == nil {
		return store.ErrNotFound
	}
	taker, ok := ch.adapter.(channel.Taker)
	if !ok {
		return fmt.Errorf("%wthe channel %s takes nothing now", ErrUnknown, name)
	}
	return taker.Take(ctx, raw, by)
}

// testTime is how long a test of a channel may take.
const testTime = 30 * time.Second

// Test tries whether all that a channel needs works, without sending anything. It returns what
// it found on the other side.
func (c *Channels) Test(ctx context.Context, name string) (found []string, err error) {
	ch := c.named(name)
	switch {
	case ch == nil:
		return nil, store.ErrNotFound
	case ch.adapter == nil:
		return nil, errors.New(ch.why())
	}
	if tester, ok := ch.adapter.(channel.Tester); ok {
		ctx, cancel := context.WithTimeout(ctx, testTime)
		defer cancel()
		return tester.Test(ctx)
	}
	if why := ch.why(); why != "" {
		return nil, errors.New(why)
	}
	return nil, nil
}

// TestDraft is Test of a channel as a text has it. A text that is wrong is document.Problems.
func (c *Channels) TestDraft(ctx context.Context, name, text string) (found []string, err error) {
	read, err := c.w.Documents.read(store.Document{Kind: "channel", Name: name, Text: text})
	if err != nil {
		return nil, err
	}
	settings := read.(channel.Settings)
	conn, there := find[workspace.Connection](c.w.config.Load(), settings.Common().Connection)
	for _, kind := range c.w.options.Channels {
		if kind.Name != settings.Common().Kind {
			continue
		}
		if kind.Needs != "" && !there {
			return nil, fmt.Errorf("%wthere is no connection called %s", ErrUnknown, settings.Common().Connection)
		}
		found, err = c.test(ctx, kind, settings, conn)
	}
	return found, err
}

// TestConnection tries whether another system is there and lets the service in, by its connection
// as it is kept or, if there is one, as a text has it. Nothing is sent or changed. It returns what
// it found there.
func (c *Channels) TestConnection(ctx context.Context, name, text string) (found []string, err error) {
	conn, there := find[workspace.Connection](c.w.config.Load(), name)
	if text != "" {
		read, err := c.w.Documents.read(store.Document{Kind: "connection", Name: name, Text: text})
		if err != nil {
			return nil, err
		}
		conn = read.(workspace.Connection)
	} else if !there {
		return nil, store.ErrNotFound
	}
	for _, kind := range c.w.options.Channels {
		if kind.To == "" || kind.To != conn.Kind {
			continue
		}
		settings, err := channel.Parse([]channel.Kind{kind})("", []byte(kind.Example))
		if err != nil {
			return nil, err
		}
		return c.test(ctx, kind, settings.(channel.Settings), conn)
	}
	ctx, cancel := context.WithTimeout(ctx, testTime)
	defer cancel()
	return c.w.reach(ctx, conn)
}

// test opens an adapter only to test it.
func (c *Channels) test(ctx context.Context, kind channel.Kind, settings channel.Settings, conn workspace.Connection) (found []string, err error) {
	adapter, err := c.adapter(ctx, kind, settings, conn)
	if err != nil {
		return nil, err
	}
	if tester, ok := adapter.(channel.Tester); ok {
		ctx, cancel := context.WithTimeout(ctx, testTime)
		defer cancel()
		found, err = tester.Test(ctx)
	}
	return found, errors.Join(err, adapter.Close())
}

// A Tried message is what would be made of one.
type Tried struct {
	channel.Incoming
	Silent string    // why nothing would answer it
	Bot    string    // that would
	Turn   TrialTurn // and what it would say
}

// Try tells what a channel would make of a message as it comes, and what would be answered.
// Nothing is kept or sent. A channel that cannot tell is ErrUnknown.
func (c *Channels) Try(ctx context.Context, name string, raw []byte) (t Tried, err error) {
	ch := c.named(name)
	if ch == nil {
		return t, store.ErrNotFound
	}
	understander, ok := ch.adapter.(channel.Understander)
	if !ok {
		return t, fmt.Errorf("%wthe channel %s takes no such messages, or does not work: %s", ErrUnknown, name, ch.why())
	}
	t.Incoming = understander.Understand(ctx, raw)
	r := room{c, name}
	if t.Silent = r.silent(ctx, ch, t.Incoming); t.Silent != "" {
		return t, nil
	}
	if t.Bot = ch.Bot; len(ch.Routes) > 0 {
		t.Bot = r.botFor(ctx, ch, t.Incoming)
	}
	t.Turn, err = c.w.Try(ctx, Trial{Bot: t.Bot, Message: t.Text})
	return t, err
}

// A Past is how far the taking in of what came before is.
type Past struct {
	From, To  time.Time
	Done, All int
	Running   bool
	Error     string
}

// pasts are those of the channels, by name.
type pasts struct {
	mu sync.Mutex
	of map[string]*Past
}

// Past returns how far a channel is with what came before, nil if it was not asked for it.
func (c *Channels) Past(name string) *Past {
	c.pasts.mu.Lock()
	defer c.pasts.mu.Unlock()
	if p := c.pasts.of[name]; p != nil {
		copied := *p
		return &copied
	}
	return nil
}

// TakePast has a channel take in what came before, from a day to another, while all else goes
// on. Nothing of it is answered by itself. A channel that cannot, or is at it, is ErrUnknown.
func (c *Channels) TakePast(name string, from, to time.Time) error {
	ch := c.named(name)
	if ch == nil {
		return store.ErrNotFound
	}
	historian, ok := ch.adapter.(channel.Historian)
	if !ok {
		return fmt.Errorf("%wthe channel %s keeps nothing of the past, or does not work: %s", ErrUnknown, name, ch.why())
	}
	c.pasts.mu.Lock()
	defer c.pasts.mu.Unlock()
	if p := c.pasts.of[name]; p != nil && p.Running {
		return fmt.Errorf("%wthe channel %s is at it: %d of %d are here", ErrUnknown, name, p.Done, p.All)
	}
	if c.pasts.of == nil {
		c.pasts.of = map[string]*Past{}
	}
	p := &Past{From: from, To: to, Running: true}
	c.pasts.of[name] = p
	ch.ended.Go(func() {
		ctx, stop := context.WithCancel(c.w.running)
		defer stop()
		err := historian.Past(ctx, from, to, func(done, all int) {
			c.pasts.mu.Lock()
			defer c.pasts.mu.Unlock()
			p.Done, p.All = done, all
		})
		c.pasts.mu.Lock()
		defer c.pasts.mu.Unlock()
		if p.Running = false; err != nil {
			p.Error = err.Error()
		}
	})
	return nil
}

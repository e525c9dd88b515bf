package engine

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"net/http"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"urgentparrot.example/internal/channel"
	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/contact"
	"urgentparrot.example/internal/core/template"
	"urgentparrot.example/internal/core/text"
	"urgentparrot.example/internal/core/workspace"
	"urgentparrot.example/internal/safely"
	"urgentparrot.example/internal/store"
)

// Channels are the ways in, each with its adapter while it is open. It is safe
// for concurrent use.
type Channels struct {
	w       *Workspace
	changes sync.Mutex // one change at a time
	open    atomic.Pointer[map[string]*openChannel]
	latest  latest
	pasts   pasts
}

// An openChannel is a channel with its adapter.
type openChannel struct {
	workspace.Channel
	abilities workspace.Abilities
	kind      channel.Kind
	made      string // what the adapter was made of: while that is the same, it stays open

	adapter channel.Adapter // nil: it cannot work, see fault
	handler http.Handler
	sender  channel.Sender // nil: the other side fetches
	fault   atomic.Pointer[string]
	stop    context.CancelFunc
	ended   sync.WaitGroup
}

func (ch *openChannel) why() string {
	if why := ch.fault.Load(); why != nil {
		return *why
	}
	return ""
}

func (ch *openChannel) fails(why string) { ch.fault.Store(&why) }

// fetches reports whether the other side fetches what was said, so that nothing
// has to be carried to it.
func (ch *openChannel) fetches() bool { return ch.adapter != nil && ch.sender == nil }

func newChannels(w *Workspace) *Channels {
	c := &Channels{w: w}
	c.open.Store(&map[string]*openChannel{})
	return c
}

// named returns a channel, nil if there is none of the name.
func (c *Channels) named(name string) *openChannel { return (*c.open.Load())[name] }

// update opens and closes adapters as the documents say. One whose document,
// connection and secret are unchanged is left alone.
func (c *Channels) update(ctx context.Context) error {
	c.changes.Lock()
	defer c.changes.Unlock()
	config, before := c.w.config.Load(), *c.open.Load()
	now := map[string]*openChannel{}
	var gone []*openChannel
	var changed []string
	for _, settings := range all[channel.Settings](config) {
		common := settings.Common()
		made, err := c.madeOf(ctx, config, common)
		if err != nil {
			return err
		}
		if old := before[common.Name]; old != nil && old.made == made {
			now[common.Name] = old
			continue
		}
		ch := &openChannel{Channel: *common, made: made}
		now[common.Name] = ch
		changed = append(changed, common.Name)
		for _, kind := range c.w.options.Channels {
			if kind.Name == common.Kind {
				ch.kind = kind
			}
		}
		if old := before[common.Name]; old != nil {
			old.close(c.w) // two of them must not hold the same mailbox
		}
		if err := c.start(ctx, config, ch, settings); err != nil {
			ch.fails(err.Error())
		}
	}
	for name, old := range before {
		if now[name] == nil {
			gone, changed = append(gone, old), append(changed, name)
		}
	}
	c.open.Store(&now)
	for _, old := range gone {
		old.close(c.w)
	}
	if len(before) > 0 { // when the workspace is opened nobody watches yet
		c.tell(ctx, changed...)
	}
	return nil
}

// tell says to those who watch that channels work otherwise than before. They learn it later
// where it cannot be kept.
func (c *Channels) tell(ctx context.Context, names ...string) {
	if len(names) == 0 {
		return
	}
	if err := c.w.write(ctx, func(tx *store.Tx) error { return tx.ChannelChanged(c.w.Clock.Now(), names...) }); err != nil && ctx.Err() == nil {
		c.w.log.Warn("how channels work could not be told", "channels", names, "error", err)
	}
}

// madeOf describes all that an adapter is made of.
func (c *Channels) madeOf(ctx context.Context, config *config, ch *workspace.Channel) (string, error) {
	var b strings.Builder
	for _, kept := range config.kept {
		if kept.Kind == "channel" && kept.Name == ch.Name || kept.Kind == "connection" && kept.Name == ch.Connection {
			fmt.Fprintf(&b, "%s\x00", kept.Text)
		}
	}
	if ch.Connection != "" {
		sealed, _, err := c.w.store.Secret(ctx, ch.Connection)
		if err != nil && !errors.Is(err, store.ErrNotFound) {
			return "", err
		}
		b.Write(sealed)
		consent, err := c.w.store.Consent(ctx, ch.Connection)
		if err != nil && !errors.Is(err, store.ErrNotFound) {
			return "", err
		}
		fmt.Fprint(&b, consent.At.UnixMilli()) // what it gives is renewed, and stays the same consent
	}
	_, led := find[bot.Brief](config, ch.Bot)
	fmt.Fprint(&b, led)
	return b.String(), nil
}

// start opens a channel's adapter and runs it.
func (c *Channels) start(ctx context.Context, config *config, ch *openChannel, settings channel.Settings) error {
	if ch.Off {
		return errors.New("the channel is switched off")
	}
	if _, ok := find[bot.Brief](config, ch.Bot); !ok {
		return fmt.Errorf("there is no bot called %s", ch.Bot)
	}
	conn, _ := find[workspace.Connection](config, ch.Connection)
	adapter, err := c.adapter(ctx, ch.kind, settings, conn)
	if err != nil {
		return err
	}
	ch.adapter, ch.handler, ch.sender, ch.abilities = adapter, adapter.Handler(), adapter.Sender(), adapter.Abilities()
	running, stop := context.WithCancel(c.w.running)
	ch.stop = stop
	ch.ended.Go(func() { ch.run(running, c) })
	return nil
}

// adapter opens the adapter of a channel, for a connection if it needs one.
func (c *Channels) adapter(ctx context.Context, kind channel.Kind, settings channel.Settings, conn workspace.Connection) (channel.Adapter, error) {
	name := settings.Common().Name
	key, err := derive(c.w.key, kind.Name+" "+name)
	if err != nil {
		return nil, err
	}
	setup := channel.Setup{
		Room: room{c, name}, Title: func() string { return c.w.Documents.Settings().Title },
		Key: key, Client: c.w.client, Rules: c.w.options.Rules, Clock: c.w.Clock, Log: c.w.log.With("channel", name),
	}
	if conn.Name != "" {
		setup.Address, setup.Other, setup.Token = conn.Address, conn, c.w.Consents.tokenOf(conn)
		if setup.Token != nil {
			if kind.Sealed {
				return nil, fmt.Errorf("a %s signs with a secret, and the connection %s asks for consent", strings.ToLower(kind.Title), conn.Name)
			}
		} else if setup.Secret, err = c.w.Documents.secret(ctx, conn); err != nil {
			return nil, err
		} else if kind.Sealed && setup.Secret == "" {
			return nil, fmt.Errorf("the connection %s has no secret yet; set it with: parrot connection secret %s", conn.Name, conn.Name)
		}
	}
	return kind.Open(settings, setup)
}

// run keeps an adapter running while its channel is open, with growing pauses
// after it failed.
func (ch *openChannel) run(ctx context.Context, c *Channels) {
	w := c.w
	for failures := 1; ; failures++ {
		err := safely.Do(func() error { return ch.adapter.Run(ctx) })
		if err == nil || ctx.Err() != nil {
			return
		}
		ch.fails(err.Error())
		w.log.Warn("a channel does not work and will be tried again", "channel", ch.Name, "error", err)
		c.tell(ctx, ch.Name)
		passed, stop := w.Clock.Timer(w.backOff(failures))
		select {
		case <-passed:
			ch.fault.Store(nil)
			c.tell(ctx, ch.Name)
		case <-ctx.Done():
			stop()
			return
		}
	}
}

func (ch *openChannel) close(w *Workspace) {
	if ch.adapter == nil {
		return
	}
	ch.stop()
	ch.ended.Wait()
	if err := ch.adapter.Close(); err != nil {
		w.log.Warn("a channel could not be closed", "channel", ch.Name, "error", err)
	}
}

func (c *Channels) close() {
	c.changes.Lock()
	defer c.changes.Unlock()
	for _, ch := range *c.open.Load() {
		ch.close(c.w)
	}
	c.open.Store(&map[string]*openChannel{})
}

// A ChannelState says whether a channel works.
type ChannelState struct {
	workspace.Channel
	KindTitle string // for people
	Path      string // of its public address; "" if it has none
	Page      bool   // people can open that
	Embed     string // what the business puts into its own pages; "" if nothing
	Fault     string // why it does not work, "" if it does
	Looks     bool   // it can be told to look for what is new
	Past      *Past  // nil: it was not asked for what came before
	Keeps     bool   // it can take in what came before
}

// States returns the state of all channels, by name.
func (c *Channels) States() []ChannelState {
	open := *c.open.Load()
	var list []ChannelState
	for _, name := range slices.Sorted(maps.Keys(open)) {
		ch := open[name]
		_, looks := ch.adapter.(channel.Looker)
		_, keeps := ch.adapter.(channel.Historian)
		list = append(list, ChannelState{ch.Channel, ch.kind.Title, ch.kind.Path, ch.kind.Page, ch.kind.Embed, ch.why(), looks, c.Past(name), keeps})
	}
	return list
}

// Handler returns what serves the channel of a name to outsiders below a path;
// nil if there is none, with the reason.
func (c *Channels) Handler(path, name string) (http.Handler, string) {
	ch := c.named(name)
	if ch == nil || ch.kind.Path != path {
		return nil, ""
	}
	return ch.handler, ch.why()
}

// Who names a contact for people: by name, else by the handle, if the channel's
// handles say something to people.
func (c *Channels) Who(name, channelName, address string) string {
	ch := c.named(channelName)
	switch {
	case name != "":
		return name
	case ch != nil && ch.adapter != nil && ch.abilities.Handle == "":
		return "A visitor"
	case address == "":
		return "Somebody"
	}
	return address
}

// A room is a channel's view of the workspace.
type room struct {
	c       *Channels
	channel string
}

// Receive keeps a message that came in. When it returns without an error the
// message is on disk and will be decided on, whatever happens.
func (r room) Receive(ctx context.Context, in channel.Incoming) (channel.Received, error) {
	w, ch := r.c.w, r.c.named(r.channel)
	if ch == nil {
		return channel.Received{}, fmt.Errorf("the channel %s is closed", r.channel)
	}
	if in.Token != "" {
		return channel.Received{}, w.answeredByMail(ctx, in)
	}
	now := w.Clock.Now()
	message := store.Incoming{Channel: r.channel, Address: in.Address, ExternalID: in.ExternalID, Text: text.Masked(in.Text), Author: store.ByCustomer, Bot: ch.Bot, Name: in.Name, Beside: in.Beside}
	for _, written := range []*string{&message.Beside.Subject, &message.Beside.Quoted, &message.Beside.Signature} {
		*written = text.Masked(*written)
	}
	in.Beside.Silent = r.silent(ctx, ch, in)
	message.Beside.Silent = in.Beside.Silent
	in.Automated = in.Automated || in.Beside.Silent != ""
	if in.Automated {
		message.Author = store.ByAutomated
	}
	if in.Thread != nil {
		message.Thread = &store.Thread{Subject: text.Masked(in.Thread.Subject), References: in.Thread.References}
	}
	for _, f := range in.Files {
		kept, err := w.attach(f)
		if err != nil {
			w.log.Error("a file that came with a message could not be kept", "channel", r.channel, "error", err)
			return channel.Received{}, err
		}
		message.Files = append(message.Files, kept)
	}
	if len(ch.Routes) > 0 {
		message.Bot = r.botFor(ctx, ch, in)
	}
	if field, ok := w.Documents.Settings().Fields.Of(ch.abilities.Handle); ok && !in.Automated && !in.Unproven {
		if value, err := field.Read(in.Address, w.Documents.Settings().Region, now); err == nil {
			message.Vouched = vouched(field, value, r.channel, now)
		}
	}
	if field, ok := w.Documents.Settings().Fields.Of(contact.Name); ok && in.Name != "" && !in.Automated {
		if value, err := field.Read(in.Name, w.Documents.Settings().Region, now); err == nil {
			message.Claimed = &store.Fact{Fact: contact.Fact{Field: field.Name, Value: value}, LearntAt: now}
		}
	}
	topic, likely := customerTopic(r.channel, in.Address), ""
	if in.Thread == nil {
		likely, _ = r.c.latest.get(topic)
	}
	var received store.Received
	err := w.store.Write(ctx, func(tx *store.Tx) (err error) {
		received, err = tx.Receive(message, likely, now)
		return err
	})
	if err != nil {
		w.log.Error("a message could not be kept", "channel", r.channel, "error", err)
		return channel.Received{}, err
	}
	if !received.Repeat {
		r.c.latest.put(topic, received.ConversationID)
		w.hub.signal(Events, topic)
		if !in.Automated {
			w.turns.signal(received.ConversationID)
		}
	}
	return channel.Received{Message: received.MessageID, Conversation: received.ConversationID, Repeat: received.Repeat}, nil
}

// mostReplies is how many replies of bots a handle gets within an hour, on channels with threads.
const mostReplies = 20

// silent is why nothing answers a message, "" if something may: as the message shows, or as the
// channel says. What goes on with something is always looked at.
func (r room) silent(ctx context.Context, ch *openChannel, in channel.Incoming) string {
	if in.Beside.Silent == "" && in.Thread != nil {
		// Two machines may begin a new thread each time, and never end.
		if n, err := r.c.w.store.RepliesSince(ctx, r.channel, in.Address, r.c.w.Clock.Now().Add(-time.Hour)); err == nil && n >= mostReplies {
			return fmt.Sprintf("%s had %d replies within the hour, as only a machine wants", in.Address, n)
		}
	}
	if in.Beside.Silent != "" || in.Thread != nil && len(in.Thread.References) > 0 {
		return in.Beside.Silent
	}
	like := func(said string, examples []string) float64 { return r.c.w.like(ctx, said, examples) }
	return ch.Answers.Silent(workspace.Letter{From: in.Beside.From + " " + in.Address, Subject: in.Beside.Subject, Text: in.Text}, like)
}

// Undelivered is channel.Room's.
func (r room) Undelivered(ctx context.Context, id, why string) error {
	w := r.c.w
	conversation := ""
	err := w.write(ctx, func(tx *store.Tx) (err error) {
		conversation, err = tx.Undelivered(r.channel, id, "The message did not arrive: "+why, "a message did not arrive", w.Clock.Now())
		return err
	})
	if errors.Is(err, store.ErrNotFound) {
		return nil
	}
	if err == nil {
		w.hub.signal(Events)
		w.turns.signal(conversation)
	}
	return err
}

// Recall is channel.Room's.
func (r room) Recall(ctx context.Context, name string) (string, error) {
	return r.c.w.store.ChannelState(ctx, r.channel, name)
}

// Keep is channel.Room's.
func (r room) Keep(ctx context.Context, name, value string) error {
	return r.c.w.store.Write(ctx, func(tx *store.Tx) error { return tx.PutChannelState(r.channel, name, value) })
}

// botFor is the bot that receives the conversation that a message begins.
func (r room) botFor(ctx context.Context, ch *openChannel, in channel.Incoming) string {
	w := r.c.w
	config := w.config.Load()
	now := w.Clock.Now().In(config.settings.Zone())
	a := workspace.Arrival{
		Language: text.LanguageOf(in.Text),
		Open: func(name string) bool {
			hours, ok := find[workspace.Hours](config, name)
			return ok && hours.Open(now)
		},
		Values: template.Values{Workspace: config.settings.Title, Question: in.Text, Channel: ch.Title, Now: now},
	}
	if known, err := w.store.ContactAt(ctx, r.channel, in.Address); err == nil {
		a.Tags = known.Tags
		var memory contact.Memory
		for _, f := range known.Facts {
			memory = memory.With(f.Fact)
		}
		a.Values.Contact = config.settings.Fields.Values(memory)
	}
	return ch.BotFor(a)
}

// Said returns what was said with a handle after an id.
func (r room) Said(ctx context.Context, address, after string) ([]channel.Said, bool, error) {
	const page = 200
	kept, err := r.c.w.store.MessagesOfHandle(ctx, r.channel, address, after, page)
	messages := make([]channel.Said, len(kept))
	for i, m := range kept {
		messages[i] = channel.Said{ID: m.Shown, Author: string(m.Author), Name: m.Name, Text: m.Text, Parts: m.Parts, Citations: m.Citations, At: m.At}
	}
	return messages, len(kept) == page, err
}

// Watch is signalled whenever something was said with a handle.
func (r room) Watch(address string) (<-chan struct{}, func()) {
	return r.c.w.hub.watch(customerTopic(r.channel, address))
}

// backOff doubles the pause with each try, up to five minutes, give or take a
// quarter so that many do not come back at once.
func (w *Workspace) backOff(tries int) time.Duration {
	pause := min(w.options.RetryBase<<min(tries-1, 20), longestPause)
	return pause*3/4 + w.options.Chance(pause/2+1)
}

// longestPause is the longest pause between two tries.
const longestPause = 5 * time.Minute

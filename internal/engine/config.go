package engine

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"reflect"
	"slices"

	"urgentparrot.example/internal/channel"
	"urgentparrot.example/internal/channel/textline"
	"urgentparrot.example/internal/channel/website"
	"urgentparrot.example/internal/connect"
	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/core/document"
	"urgentparrot.example/internal/core/text"
	"urgentparrot.example/internal/core/workspace"
	"urgentparrot.example/internal/store"
)

// config is all documents of a workspace, read. It does not change: an edit
// makes a new one.
type config struct {
	settings    workspace.Settings
	analyzer    *text.Analyzer
	connections map[string]workspace.Connection
	sheets      map[string]workspace.Sheet
	tools       map[string]dialogue.Tool
	bots        map[string]bot.Brief
	channels    map[string]*openChannel
	faults      []string // documents that cannot be used, and why
}

// An openChannel is a channel with its adapter.
type openChannel struct {
	workspace.Channel
	handler http.Handler   // nil: it cannot work yet, see fault
	sender  channel.Sender // nil: it cannot work yet, or it fetches
	fault   string
}

// fetches reports whether the channel fetches what was said by itself, so that
// nothing has to be carried to it.
func (ch *openChannel) fetches() bool { return ch.Kind == workspace.Website }

// reload reads all documents and knowledge anew.
func (w *Workspace) reload(ctx context.Context) error {
	documents, err := w.store.Documents(ctx, "")
	if err != nil {
		return err
	}
	c := &config{
		settings:    workspace.DefaultSettings(w.Name),
		connections: map[string]workspace.Connection{}, sheets: map[string]workspace.Sheet{},
		tools: map[string]dialogue.Tool{}, bots: map[string]bot.Brief{}, channels: map[string]*openChannel{},
	}
	c.analyzer = c.settings.Analyzer()
	for _, kind := range workspace.Kinds {
		for _, d := range documents {
			if d.Kind != kind {
				continue
			}
			if err := c.read(d); err != nil {
				c.faults = append(c.faults, fmt.Sprintf("%s %s: %v", d.Kind, d.Name, err))
				w.log.Warn("a document cannot be used", "kind", d.Kind, "name", d.Name, "error", err)
			}
		}
	}
	for _, ch := range c.channels {
		w.openChannel(ctx, c, ch)
	}
	before := w.config.Swap(c)
	if before != nil && before.settings.Language == c.settings.Language && reflect.DeepEqual(before.settings.Synonyms, c.settings.Synonyms) && before.settings.Embeddings == c.settings.Embeddings {
		return nil // the index is made of the same words
	}
	return w.reindex(ctx)
}

// read parses one document and adds it.
func (c *config) read(d store.Document) (err error) {
	source := []byte(d.Text)
	switch d.Kind {
	case workspace.KindSettings:
		var s workspace.Settings
		if s, err = workspace.ParseSettings(d.Name, source); err == nil {
			c.settings, c.analyzer = s, s.Analyzer()
		}
	case workspace.KindConnection:
		c.connections[d.Name], err = workspace.ParseConnection(d.Name, source)
	case workspace.KindSheet:
		c.sheets[d.Name], err = workspace.ParseSheet(d.Name, source)
	case workspace.KindTool:
		var t workspace.Tool
		if t, err = workspace.ParseTool(d.Name, source); err == nil {
			c.tools[d.Name] = dialogue.PrepareTool(c.analyzer, t)
		}
	case workspace.KindBot:
		c.bots[d.Name], err = bot.Parse(d.Name, source)
	case workspace.KindChannel:
		var ch workspace.Channel
		if ch, err = workspace.ParseChannel(d.Name, source); err == nil {
			c.channels[d.Name] = &openChannel{Channel: ch}
		}
	}
	return err
}

func (w *Workspace) openChannel(ctx context.Context, c *config, ch *openChannel) {
	if ch.Off {
		ch.fault = "the channel is switched off"
		return
	}
	if _, ok := c.bots[ch.Bot]; !ok {
		ch.fault = fmt.Sprintf("there is no bot called %s", ch.Bot)
		return
	}
	switch ch.Kind {
	case workspace.Website:
		key, err := derive(w.key, "website "+ch.Channel.Channel)
		if err != nil {
			ch.fault = err.Error()
			return
		}
		ch.handler = website.New(c.settings.Title, ch.Origins, key, room{w, ch.Channel.Channel})
	case workspace.TextLine:
		secret, err := w.secret(ctx, ch.Connection)
		if err == nil && secret == "" {
			err = fmt.Errorf("the connection %s has no secret yet; set it with: parrot connection secret %s", ch.Connection, ch.Connection)
		}
		if err != nil {
			ch.fault = err.Error()
			return
		}
		name := ch.Channel.Channel
		line, err := textline.New(ch.Number, c.connections[ch.Connection].Address, secret, w.client, func(ctx context.Context, in channel.Incoming) (channel.Received, error) {
			return w.receive(ctx, name, in)
		})
		if err != nil {
			ch.fault = err.Error()
			return
		}
		ch.handler, ch.sender = line, line
	}
}

// secret returns a connection's secret in the clear, "" if it has none.
func (w *Workspace) secret(ctx context.Context, connection string) (string, error) {
	sealed, err := w.store.Secret(ctx, connection)
	if errors.Is(err, store.ErrNotFound) {
		return "", nil
	}
	if err != nil {
		return "", err
	}
	return unseal(w.key, connection, sealed)
}

// endpoint returns the HTTP system of a connection, ready to be called.
func (w *Workspace) endpoint(ctx context.Context, name string) (connect.Endpoint, error) {
	conn, ok := w.config.Load().connections[name]
	if !ok {
		return connect.Endpoint{}, fmt.Errorf("there is no connection called %s", name)
	}
	secret, err := w.secret(ctx, name)
	return connect.Endpoint{Title: conn.Title, Address: conn.Address, Secret: secret, Client: w.client}, err
}

// PutDocument checks a document and keeps it; from then on it is used. With
// ifVersion above 0 the kept one must have that version, else the error is
// store.ErrConflict. What is wrong with the document is document.Problems.
func (w *Workspace) PutDocument(ctx context.Context, kind workspace.Kind, name, source string, ifVersion int) (version int, err error) {
	w.editing.Lock()
	defer w.editing.Unlock()
	d := store.Document{Kind: kind, Name: name, Text: source, UpdatedAt: w.options.Now()}
	if err := w.checkDocument(d); err != nil {
		return 0, err
	}
	if err := w.write(ctx, func(tx *store.Tx) (err error) {
		version, err = tx.PutDocument(d, ifVersion)
		return err
	}); err != nil {
		return version, err
	}
	return version, w.reload(ctx)
}

// CheckDocument reports what is wrong with a document, as document.Problems.
func (w *Workspace) CheckDocument(kind workspace.Kind, name, source string) error {
	return w.checkDocument(store.Document{Kind: kind, Name: name, Text: source})
}

func (w *Workspace) checkDocument(d store.Document) error {
	read := config{
		analyzer:    w.config.Load().analyzer,
		connections: map[string]workspace.Connection{}, sheets: map[string]workspace.Sheet{},
		tools: map[string]dialogue.Tool{}, bots: map[string]bot.Brief{}, channels: map[string]*openChannel{},
	}
	if err := read.read(d); err != nil {
		return err
	}
	return read.refers(d, w.config.Load())
}

// refers checks that a document that was just read has the name it is kept
// under, and that what it refers to is there.
func (c *config) refers(d store.Document, all *config) error {
	source := []byte(d.Text)
	wrong := func(path, format string, args ...any) error {
		return document.At(d.Name, source, path, format, args...)
	}
	own, path := d.Name, "$."+string(d.Kind)
	switch d.Kind {
	case workspace.KindConnection:
		own = c.connections[d.Name].Connection
	case workspace.KindSheet:
		own = c.sheets[d.Name].Sheet
	case workspace.KindTool:
		t := c.tools[d.Name]
		own = t.Tool.Tool
		if _, ok := all.connections[t.Connection]; !ok {
			return wrong("$.connection", "there is no connection called %q", t.Connection)
		}
	case workspace.KindBot:
		b := c.bots[d.Name]
		own = b.Bot
		for i, tool := range b.Tools {
			if _, ok := all.tools[tool]; !ok {
				return wrong(fmt.Sprintf("$.tools[%d]", i), "there is no tool called %q", tool)
			}
		}
		if notify := b.Escalate.Notify; notify != "" && all.connections[notify].Kind != workspace.MailServer {
			return wrong("$.escalate.notify", "there is no connection to a mail server called %q", notify)
		}
		if capture := b.Capture; capture != nil {
			sheet, ok := all.sheets[capture.Sheet]
			if capture.Sheet != "" && !ok {
				return wrong("$.capture.sheet", "there is no sheet called %q", capture.Sheet)
			}
			for column := range capture.Row {
				if !slices.Contains(sheet.Columns, column) {
					return wrong("$.capture.row", "the sheet %s has no column called %q", capture.Sheet, column)
				}
			}
			if capture.CRM != "" && all.connections[capture.CRM].Kind != workspace.HTTPSystem {
				return wrong("$.capture.crm", "there is no connection to a CRM called %q", capture.CRM)
			}
		}
	case workspace.KindChannel:
		ch := c.channels[d.Name]
		own = ch.Channel.Channel
		if _, ok := all.bots[ch.Bot]; !ok {
			return wrong("$.bot", "there is no bot called %q", ch.Bot)
		}
		if ch.Connection != "" && all.connections[ch.Connection].Kind != workspace.HTTPSystem {
			return wrong("$.connection", "there is no connection to a gateway called %q", ch.Connection)
		}
	}
	if own != d.Name {
		return wrong(path, "the document calls itself %q, but is to be kept as %q", own, d.Name)
	}
	return nil
}

// PutSecret seals and keeps the secret of a connection. It cannot be read back.
func (w *Workspace) PutSecret(ctx context.Context, connection, secret string) error {
	w.editing.Lock()
	defer w.editing.Unlock()
	if _, ok := w.config.Load().connections[connection]; !ok {
		return store.ErrNotFound
	}
	sealed, err := seal(w.key, connection, secret)
	if err != nil {
		return err
	}
	if err := w.write(ctx, func(tx *store.Tx) error { return tx.PutSecret(connection, sealed, w.options.Now()) }); err != nil {
		return err
	}
	return w.reload(ctx)
}

// Title is the business's name.
func (w *Workspace) Title() string { return w.config.Load().settings.Title }

// A ChannelState says whether a channel works.
type ChannelState struct {
	Name, Title string
	Kind        workspace.ChannelKind
	Bot         string
	Fault       string // why it does not work, "" if it does
}

// Channels returns the state of all channels, by name.
func (w *Workspace) Channels() []ChannelState {
	var list []ChannelState
	for name, ch := range w.config.Load().channels {
		list = append(list, ChannelState{name, ch.Title, ch.Kind, ch.Bot, ch.fault})
	}
	slices.SortFunc(list, func(a, b ChannelState) int {
		if a.Name < b.Name {
			return -1
		}
		return 1
	})
	return list
}

// Faults returns the documents that cannot be used, and why.
func (w *Workspace) Faults() []string { return w.config.Load().faults }

// ChannelHandler returns what serves a channel of a kind to outsiders; nil if
// there is none, with the reason.
func (w *Workspace) ChannelHandler(kind workspace.ChannelKind, name string) (http.Handler, string) {
	ch := w.config.Load().channels[name]
	if ch == nil || ch.Kind != kind {
		return nil, ""
	}
	return ch.handler, ch.fault
}

package engine

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"reflect"
	"slices"
	"strings"
	"sync"

	"urgentparrot.example/internal/connect"
	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/core/document"
	"urgentparrot.example/internal/core/tool"
	"urgentparrot.example/internal/core/workspace"
	"urgentparrot.example/internal/store"
)

// config is all documents of a workspace, read. It does not change: an edit
// makes a new one.
type config struct {
	settings workspace.Settings
	kept     []keptDocument
	byType   map[reflect.Type]map[string]document.Document
	tools    map[string]dialogue.Tool
	flows    map[string]*liveFlow
	older    sync.Map // versions of flows on which runs go on, by name@version
	private  []string // sources that bots keep for themselves
	faults   []string // documents that cannot be used, and why
}

type keptDocument struct {
	store.Document
	read document.Document
}

// find returns the document of a type and name.
func find[D document.Document](c *config, name string) (d D, ok bool) {
	d, ok = c.byType[reflect.TypeFor[D]()][name].(D)
	return d, ok
}

// all returns the documents of a type, by name.
func all[D document.Document](c *config) (list []D) {
	for _, kept := range c.kept {
		if d, ok := kept.read.(D); ok {
			list = append(list, d)
		}
	}
	return list
}

// named returns the document of a kind and name; for "" the only one of its kind.
func (c *config) named(kind, name string) document.Document {
	for _, kept := range c.kept {
		if kept.Kind == kind && (kept.Name == name || name == "") {
			return kept.read
		}
	}
	if kind == "settings" && name == "" {
		return c.settings
	}
	return nil
}

// fitting lists the names that a reference could hold.
func (c *config) fitting(r document.Reference) (names []string) {
	for _, kept := range c.kept {
		if kept.Kind == r.Kind && kept.read != nil && (r.Unfit == nil || r.Unfit(kept.read) == "") {
			names = append(names, kept.Name)
		}
	}
	return names
}

// Documents are what a workspace consists of. It is safe for concurrent use.
type Documents struct {
	w       *Workspace
	editing sync.Mutex // one change at a time
}

// Kinds returns the kinds of documents.
func (d *Documents) Kinds() []document.Kind { return d.w.options.Documents }

// Settings returns the workspace's settings as they are now.
func (d *Documents) Settings() workspace.Settings { return d.w.config.Load().settings }

func (d *Documents) privateSources() []string { return d.w.config.Load().private }

// Keys returns what others may state about a live document by key, nil if it is none that
// says so.
func (d *Documents) Keys(kind, name string) []document.Choice {
	if keyed, ok := d.w.config.Load().Find(kind, name).(document.Keyed); ok {
		return keyed.Keys()
	}
	return nil
}

// Faults returns the documents that cannot be used, and why.
func (d *Documents) Faults() []string { return d.w.config.Load().faults }

// load reads all documents anew.
func (d *Documents) load(ctx context.Context) error {
	documents, err := d.w.store.Documents(ctx, "")
	if err != nil {
		return err
	}
	c := &config{settings: workspace.DefaultSettings(d.w.Name), byType: map[reflect.Type]map[string]document.Document{}, tools: map[string]dialogue.Tool{}}
	before := map[store.Document]document.Document{} // what is kept as it was need not be read again
	if last := d.w.config.Load(); last != nil {
		for _, kept := range last.kept {
			before[kept.Document] = kept.read
		}
	}
	for _, kept := range documents {
		read, err := before[kept], error(nil)
		if read == nil {
			read, err = d.read(kept)
		}
		if err != nil {
			c.faults = append(c.faults, fmt.Sprintf("%s %s: %v", kept.Kind, kept.Name, err))
			d.w.log.Warn("a document cannot be used", "kind", kept.Kind, "name", kept.Name, "error", err)
			continue
		}
		c.kept = append(c.kept, keptDocument{kept, read})
		of := reflect.TypeOf(read)
		if c.byType[of] == nil {
			c.byType[of] = map[string]document.Document{}
		}
		c.byType[of][kept.Name] = read
		if s, ok := read.(workspace.Settings); ok {
			c.settings = s
		}
	}
	analyzer := c.settings.Analyzer()
	for _, t := range all[tool.Tool](c) {
		c.tools[t.Name] = dialogue.PrepareTool(analyzer, t)
	}
	for _, brief := range all[bot.Brief](c) {
		if brief.Private {
			c.private = append(c.private, brief.Sources...)
		}
	}
	if err := d.w.Flows.load(ctx, c); err != nil {
		return err
	}
	d.w.config.Store(c)
	return nil
}

// read parses one document.
func (d *Documents) read(kept store.Document) (document.Document, error) {
	kind, ok := document.Find(d.w.options.Documents, kept.Kind)
	if !ok {
		return nil, fmt.Errorf("this version knows no documents of the kind %q", kept.Kind)
	}
	return kind.Parse(kept.Name, []byte(kept.Text))
}

type authorKey struct{}

// WithAuthor says who writes the documents that are kept with a context.
func WithAuthor(ctx context.Context, person string) context.Context {
	return context.WithValue(ctx, authorKey{}, person)
}

func author(ctx context.Context) string {
	person, _ := ctx.Value(authorKey{}).(string)
	return person
}

// Put checks a document and keeps it; from then on it is used, or of kinds that have
// drafts, it is the draft, which need not be right in all it names yet. With ifVersion
// above 0 the kept one must have that version, with store.Fresh there must be none, else
// the error is store.ErrConflict. What is wrong with the document is document.Problems.
func (d *Documents) Put(ctx context.Context, kind, name, source string, ifVersion int) (version int, err error) {
	d.editing.Lock()
	defer d.editing.Unlock()
	if err := d.Check(kind, name, source); err != nil {
		return 0, err
	}
	kept := store.Document{Kind: kind, Name: name, Text: source, UpdatedAt: d.w.Clock.Now(), Author: author(ctx)}
	err = d.change(ctx, func(tx *store.Tx) (err error) {
		version, err = tx.PutDocument(kept, ifVersion)
		return err
	})
	return version, err
}

// change writes documents, works with them from then on, and tells those who watch: who is told
// of one finds it in use.
func (d *Documents) change(ctx context.Context, work func(*store.Tx) error) error {
	if err := d.w.store.Write(ctx, work); err != nil {
		return err
	}
	defer d.w.hub.signal(Events)
	return d.w.reload(ctx)
}

// mostDraft is how many bytes a draft may have.
const mostDraft = 1 << 20

// PutDraft keeps what is being written of a document, right or not; the document that is used
// stays as it is. Of kinds that have drafts of their own the error is ErrNotLive.
func (d *Documents) PutDraft(ctx context.Context, kind, name, source string) error {
	k, _ := document.Find(d.w.options.Documents, kind)
	switch {
	case k.Drafts:
		return fmt.Errorf("%wwhat is kept of the kind %s is a draft until it is put live", ErrNotLive, kind)
	case !document.IsName(name):
		return document.Problems{{Line: 1, Column: 1, Message: fmt.Sprintf("%q is not a name: use small letters, digits and hyphens, at most 40", name)}}
	case len(source) > mostDraft:
		return document.Problems{{Line: 1, Column: 1, Message: fmt.Sprintf("a draft has at most %d bytes", mostDraft)}}
	}
	draft := store.Document{Kind: kind, Name: name, Text: source, Author: author(ctx), UpdatedAt: d.w.Clock.Now()}
	return d.w.write(ctx, func(tx *store.Tx) error { return tx.PutDraft(draft) })
}

// RemoveDraft throws away what was being written of a document.
func (d *Documents) RemoveDraft(ctx context.Context, kind, name string) error {
	return d.w.write(ctx, func(tx *store.Tx) error { return tx.RemoveDraft(kind, name, d.w.Clock.Now()) })
}

// Check reports what is wrong with a document, as document.Problems: in itself, in
// what it refers to, and for what refers to it.
func (d *Documents) Check(kind, name, source string) error {
	read, err := d.read(store.Document{Kind: kind, Name: name, Text: source})
	if err != nil {
		return err
	}
	wrong := func(path, format string, args ...any) error {
		return document.At(name, []byte(source), path, format, args...)
	}
	if own := read.Named(); own != name {
		return wrong("$."+kind, "the document calls itself %q, but is to be kept as %q", own, name)
	}
	c := d.w.config.Load()
	k, _ := document.Find(d.w.options.Documents, kind)
	if k.Drafts {
		return nil // it is held against the workspace before it goes live
	}
	if k.Only {
		for _, kept := range c.kept {
			if kept.Kind == kind && kept.Name != name {
				return wrong("$."+kind, "a workspace has one document of %s, which is called %q", k.Plural, kept.Name)
			}
		}
	}
	var problems document.Problems
	note := func(err error) {
		var more document.Problems
		if errors.As(err, &more) {
			problems = append(problems, more...)
		}
	}
	for _, r := range read.Refers() {
		to := c.named(r.Kind, r.Name)
		if r.Kind == kind && r.Name == name {
			to = read
		}
		what := r.What
		if what == "" {
			what = r.Kind
		}
		if to == nil && r.Later {
			continue // a warning, in Findings
		}
		if to == nil {
			note(wrong(r.Path, "%s", document.Missing(what, r.Name, c.fitting(r))))
		} else if r.Unfit != nil {
			if why := r.Unfit(to); why != "" {
				note(wrong(r.Path, "%s", why))
			}
		}
	}
	for _, kept := range c.dependents(kind, name) {
		for _, r := range kept.read.Refers() {
			if r.Kind == kind && (r.Name == name || r.Name == "") && r.Unfit != nil {
				if why := r.Unfit(read); why != "" {
					note(wrong("$", "the %s %s needs it otherwise: %s", kept.Kind, kept.Name, why))
				}
			}
		}
	}
	if len(problems) > 0 {
		return problems
	}
	return nil
}

// dependents returns the documents that refer to another one.
func (c *config) dependents(kind, name string) (list []keptDocument) {
	for _, kept := range c.kept {
		if (kept.Kind != kind || kept.Name != name) && slices.ContainsFunc(kept.read.Refers(), func(r document.Reference) bool {
			return r.Kind == kind && (r.Name == name || r.Name == "")
		}) {
			list = append(list, kept)
		}
	}
	return list
}

// Dependents names the documents that refer to another one, as "bot front-desk".
func (d *Documents) Dependents(kind, name string) (names []string) {
	for _, kept := range d.w.config.Load().dependents(kind, name) {
		names = append(names, kept.Kind+" "+kept.Name)
	}
	return names
}

// ErrNeeded is returned for a document that others refer to.
var ErrNeeded = errors.New("others refer to it")

// Remove removes a document, unless others refer to it.
func (d *Documents) Remove(ctx context.Context, kind, name string) error {
	d.editing.Lock()
	defer d.editing.Unlock()
	if k, _ := document.Find(d.w.options.Documents, kind); !k.Only {
		if names := d.Dependents(kind, name); len(names) > 0 {
			return fmt.Errorf("%w: %s; change those first", ErrNeeded, strings.Join(names, ", "))
		}
	}
	return d.change(ctx, func(tx *store.Tx) error { return tx.RemoveDocument(kind, name, d.w.Clock.Now()) })
}

// ErrBadSecret is wrapped by errors of secrets that are none.
var ErrBadSecret = errors.New("this is no secret to use")

// PutSecret seals and keeps the secret of a connection, for the address that the
// connection has now. It cannot be read back.
func (d *Documents) PutSecret(ctx context.Context, connection, secret string) error {
	d.editing.Lock()
	defer d.editing.Unlock()
	conn, ok := find[workspace.Connection](d.w.config.Load(), connection)
	if !ok {
		return store.ErrNotFound
	}
	if err := workspace.CheckSigningSecret(secret); err != nil {
		return fmt.Errorf("%w: %w", ErrBadSecret, err)
	}
	sealed, err := seal(d.w.key, connection, secret)
	if err != nil {
		return err
	}
	return d.change(ctx, func(tx *store.Tx) error {
		return tx.PutSecret(connection, sealed, conn.Origin(), d.w.Clock.Now())
	})
}

// secret returns the secret of a connection in the clear, "" if it has none. It is
// given for the address only that the connection had when it was set: whoever changes
// the address does not learn it.
func (d *Documents) secret(ctx context.Context, conn workspace.Connection) (string, error) {
	sealed, origin, err := d.w.store.Secret(ctx, conn.Name)
	switch {
	case errors.Is(err, store.ErrNotFound):
		return "", nil
	case err != nil:
		return "", err
	case origin != conn.Origin():
		return "", fmt.Errorf("the secret of the connection %s was set for %s, and its address is %s now: set the secret again with: parrot connection secret %s", conn.Name, origin, conn.Origin(), conn.Name)
	}
	return unseal(d.w.key, conn.Name, sealed)
}

// Unbound returns why connections have no secret that may be sent to them, although one
// was set.
func (d *Documents) Unbound(ctx context.Context) (faults []string) {
	for _, conn := range all[workspace.Connection](d.w.config.Load()) {
		if _, err := d.secret(ctx, conn); err != nil && ctx.Err() == nil {
			faults = append(faults, err.Error())
		}
	}
	return faults
}

// bindSecrets binds secrets that an older version kept to the addresses that their
// connections have.
func (d *Documents) bindSecrets(ctx context.Context) error {
	return d.w.store.Write(ctx, func(tx *store.Tx) error {
		for _, conn := range all[workspace.Connection](d.w.config.Load()) {
			if err := tx.BindSecret(conn.Name, conn.Origin()); err != nil {
				return err
			}
		}
		return nil
	})
}

// endpoint returns the HTTP system of a connection, ready to be called.
func (d *Documents) endpoint(ctx context.Context, name string) (connect.Endpoint, error) {
	return d.endpointBy(ctx, name, d.w.client)
}

// endpointBy is endpoint for calls by another client than the usual one.
func (d *Documents) endpointBy(ctx context.Context, name string, client *http.Client) (connect.Endpoint, error) {
	conn, ok := find[workspace.Connection](d.w.config.Load(), name)
	if !ok {
		return connect.Endpoint{}, fmt.Errorf("there is no connection called %s", name)
	}
	return d.endpointOf(ctx, conn, client)
}

func (d *Documents) endpointOf(ctx context.Context, conn workspace.Connection, client *http.Client) (connect.Endpoint, error) {
	endpoint := connect.Endpoint{Title: conn.Title, Address: conn.Address, Header: conn.Header, Client: client, Clock: d.w.Clock}
	var err error
	if token := d.w.Consents.tokenOf(conn); token != nil {
		return endpoint.Signed(ctx, token)
	}
	endpoint.Secret, err = d.secret(ctx, conn)
	return endpoint, err
}

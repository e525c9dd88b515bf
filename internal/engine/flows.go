package engine

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"sync"
	"time"

	"urgentparrot.example/internal/core/document"
	"urgentparrot.example/internal/core/flow"
	"urgentparrot.example/internal/core/flow/triggers"
	"urgentparrot.example/internal/store"
)

// Flows are what happens step by step: which are live, their runs, and what starts them.
// It is safe for concurrent use.
type Flows struct {
	w         *Workspace
	runs      *queue // those without a conversation, one at a time for each
	happening *queue // what may start flows, one after another
}

// A liveFlow is a version of a flow that is used.
type liveFlow struct {
	*flow.Checked
	version int
	faults  []document.Finding // it can run only where none is an error
}

func newFlows(w *Workspace) *Flows {
	f := &Flows{w: w}
	f.runs = newQueue(f.step)
	f.happening = newQueue(func(string) { f.look() })
	return f
}

// Find and Names make of the documents of a workspace what flows are held against: its
// document.Directory.
func (c *config) Find(kind, name string) document.Document {
	if d := c.named(kind, name); d != nil {
		return d
	}
	return nil
}

func (c *config) Names(kind string) (names []string) {
	for _, kept := range c.kept {
		if kept.Kind == kind {
			names = append(names, kept.Name)
		}
	}
	return names
}

// load compiles the live versions of all flows.
func (f *Flows) load(ctx context.Context, c *config) error {
	c.flows = map[string]*liveFlow{}
	type loaded struct {
		name string
		live *liveFlow
		err  error
	}
	var list []*loaded
	var checking sync.WaitGroup
	for _, kept := range c.kept {
		if kept.Kind != "flow" || kept.Live == 0 {
			continue
		}
		l := &loaded{name: kept.Name}
		list = append(list, l)
		checking.Go(func() { l.live, l.err = f.version(ctx, c, kept.Name, kept.Live) })
	}
	checking.Wait()
	for _, l := range list {
		var unreadable *undecidable
		switch {
		case errors.As(l.err, &unreadable): // of another version of this program: the others work
			c.faults = append(c.faults, unreadable.Error())
			continue
		case l.err != nil:
			return l.err
		}
		for _, finding := range l.live.faults {
			if !finding.Warning {
				c.faults = append(c.faults, fmt.Sprintf("flow %s: %v", l.name, finding.Problem))
			}
		}
		c.flows[l.name] = l.live
	}
	return nil
}

// version returns a version of a flow, held against the workspace.
func (f *Flows) version(ctx context.Context, c *config, name string, version int) (*liveFlow, error) {
	text, err := f.w.store.Version(ctx, "flow", name, version)
	if err != nil {
		return nil, fmt.Errorf("version %d of the flow %s: %w", version, name, err)
	}
	kind, ok := document.Find(f.w.options.Documents, "flow")
	if !ok {
		return nil, errors.New("this version knows no flows")
	}
	read, err := kind.Parse(name, []byte(text))
	if err != nil {
		return nil, &undecidable{fmt.Sprintf("version %d of the flow %s cannot be read: %v", version, name, err)}
	}
	checked, findings := read.(*flow.Flow).Check(c)
	return &liveFlow{checked, version, findings}, nil
}

// at returns a version of a flow, for a run that began with it.
func (f *Flows) at(ctx context.Context, name string, version int) (*liveFlow, error) {
	c := f.w.config.Load()
	if live := c.flows[name]; live != nil && live.version == version {
		return live, nil
	}
	key := fmt.Sprintf("%s@%d", name, version)
	if cached, ok := c.older.Load(key); ok {
		return cached.(*liveFlow), nil
	}
	live, err := f.version(ctx, c, name, version)
	if err == nil {
		c.older.Store(key, live)
	}
	return live, err
}

// works reports whether a flow can run.
func (l *liveFlow) works() bool {
	return !slices.ContainsFunc(l.faults, func(f document.Finding) bool { return !f.Warning })
}

// live returns the flows that can start, by name.
func (c *config) live() (list []*liveFlow) {
	for _, kept := range c.kept {
		if live := c.flows[kept.Name]; kept.Kind == "flow" && live != nil && live.works() {
			list = append(list, live)
		}
	}
	return list
}

// update sets what the live flows wait for: which happenings, and the times of schedules.
func (f *Flows) update(ctx context.Context) error {
	kinds := map[string]bool{}
	want := map[string]store.Timer{}
	now := f.w.Clock.Now().In(f.w.Documents.Settings().Zone())
	for _, live := range f.w.config.Load().live() {
		for _, t := range live.Triggers {
			kinds[t.Kind.Name] = true
			if t.Kind.Name != triggers.Schedule {
				continue
			}
			if next, ok := triggers.Next(t, now); ok {
				timer := scheduleTimer(live.Name, t, next)
				want[timer.ID] = timer
			}
		}
	}
	f.w.store.Listen(kinds)
	kept, err := f.w.store.TimersOf(ctx, "schedule")
	if err != nil {
		return err
	}
	changed := false
	for _, timer := range kept {
		next, ok := want[timer.ID]
		if ok && next.Body == timer.Body {
			delete(want, timer.ID) // it may be due, or late: that is for when it fires
		} else if !ok {
			changed = true
			if err := f.w.store.Write(ctx, func(tx *store.Tx) error { return tx.RemoveTimer(timer.ID) }); err != nil {
				return err
			}
		}
	}
	for _, timer := range want {
		changed = true
		if err := f.w.store.Write(ctx, func(tx *store.Tx) error { return tx.PutTimer(timer) }); err != nil {
			return err
		}
	}
	if changed {
		f.w.Timers.nudge()
	}
	return nil
}

type scheduleBody struct {
	Flow  string `json:"flow"`
	Index int    `json:"index"`
	At    string `json:"at"`
	Zone  string `json:"zone"`
}

func scheduleTimer(name string, t *flow.Trigger, due time.Time) store.Timer {
	body, _ := json.Marshal(scheduleBody{name, t.Index, t.Raw("at"), t.Raw("zone")})
	return store.Timer{ID: fmt.Sprintf("schedule/%s/%d", name, t.Index), Kind: "schedule", Subject: name, Body: string(body), DueAt: due}
}

// ErrNotLive is returned for what cannot go live, or is not.
var ErrNotLive = errors.New("")

// GoLive puts a version of a flow live, the newest for 0. What is wrong with it is
// document.Problems.
func (d *Documents) GoLive(ctx context.Context, kind, name string, version int, person string) error {
	d.editing.Lock()
	defer d.editing.Unlock()
	c := d.w.config.Load()
	kept, ok := c.keptNamed(kind, name)
	if !ok {
		return store.ErrNotFound
	}
	if k, _ := document.Find(d.w.options.Documents, kind); !k.Drafts {
		return fmt.Errorf("%wwhat is kept of the kind %s is used at once", ErrNotLive, kind)
	}
	if version == 0 {
		version = kept.Version
	}
	live, err := d.w.Flows.version(ctx, c, name, version)
	if err != nil {
		return err
	}
	if problems := errorsOf(live.faults); len(problems) > 0 {
		return problems
	}
	if live.Demands != "" {
		if err := d.w.rehearsalsPass(ctx, name, live.Flow); err != nil {
			return err
		}
	}
	return d.change(ctx, func(tx *store.Tx) error { return tx.GoLive(kind, name, version, person, d.w.Clock.Now()) })
}

// TakeDown makes a flow a draft alone: it does not start any more. Runs go on.
func (d *Documents) TakeDown(ctx context.Context, kind, name, person string) error {
	d.editing.Lock()
	defer d.editing.Unlock()
	return d.change(ctx, func(tx *store.Tx) error { return tx.GoLive(kind, name, 0, person, d.w.Clock.Now()) })
}

func errorsOf(findings []document.Finding) (problems document.Problems) {
	for _, f := range findings {
		if !f.Warning {
			problems = append(problems, f.Problem)
		}
	}
	return problems
}

// Findings returns all that is wrong with a document, or may be, as it would be held
// against the workspace now.
func (d *Documents) Findings(kind, name, source string) (findings []document.Finding) {
	k, _ := document.Find(d.w.options.Documents, kind)
	read, err := d.read(store.Document{Kind: kind, Name: name, Text: source})
	if err == nil || k.Look == nil { // what cannot be read is among what Look finds
		var problems document.Problems
		errors.As(d.Check(kind, name, source), &problems)
		for _, p := range problems {
			findings = append(findings, document.Finding{Problem: p})
		}
	}
	if err == nil {
		findings = append(findings, d.later(read, name, source)...)
	}
	if k.Look != nil {
		return append(findings, k.Look(name, []byte(source), d.w.config.Load())...)
	}
	if held, ok := read.(document.Held); ok && err == nil && !slices.ContainsFunc(findings, func(f document.Finding) bool { return !f.Warning }) {
		return append(findings, held.Hold(d.w.config.Load())...)
	}
	return findings
}

// later returns warnings of what a document names and is not there yet, though it may be.
func (d *Documents) later(read document.Document, name, source string) (warnings []document.Finding) {
	c := d.w.config.Load()
	for _, r := range read.Refers() {
		if !r.Later || c.named(r.Kind, r.Name) != nil {
			continue
		}
		for _, p := range document.At(name, []byte(source), r.Path, "%s", document.Missing(r.Kind, r.Name, c.fitting(r))) {
			warnings = append(warnings, document.Finding{Problem: p, Warning: true})
		}
	}
	return warnings
}

func (c *config) keptNamed(kind, name string) (keptDocument, bool) {
	for _, kept := range c.kept {
		if kept.Kind == kind && kept.Name == name {
			return kept, true
		}
	}
	return keptDocument{}, false
}

// A FlowState is a flow and how it stands.
type FlowState struct {
	Name, Title  string
	Version      int // of the draft
	Live         int // the version that is live; 0: none
	LiveBy       string
	LiveAt       time.Time
	UpdatedAt    time.Time
	Findings     []document.Finding // of the draft
	Broken       []document.Finding // of the live version
	Fired        store.Fired
	Starts       string   // when the draft starts, in words
	Triggers     []string // the kinds of what starts it: the live version, else the draft
	With         []string // the values that it needs where it is started by hand
	WithOptional []string // and those that it may be given
}

// States returns all flows and how they stand, by name.
func (f *Flows) States(ctx context.Context) (list []FlowState, err error) {
	fired, err := f.w.store.Fired(ctx)
	if err != nil {
		return nil, err
	}
	c := f.w.config.Load()
	for _, kept := range c.kept {
		draft, ok := kept.read.(*flow.Flow)
		if !ok {
			continue
		}
		s := FlowState{
			Name: kept.Name, Title: draft.Title, Version: kept.Version, Live: kept.Live, LiveBy: kept.LiveBy, LiveAt: kept.LiveAt,
			UpdatedAt: kept.UpdatedAt, Findings: draft.Hold(c), Fired: fired[kept.Name], Starts: "Starts " + draft.Starts() + ".",
		}
		started := draft
		if live := c.flows[kept.Name]; live != nil {
			s.Broken, started = live.faults, live.Flow
		}
		s.Triggers = []string{}
		for _, t := range started.Triggers {
			s.Triggers = append(s.Triggers, t.Kind.Name)
		}
		s.With, s.WithOptional = started.Given()
		list = append(list, s)
	}
	return list, nil
}

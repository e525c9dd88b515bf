// Package flow is the language in which builders write what happens step by step: its
// parts, how it is read and checked, how it reads in plain sentences, and how a run goes
// from step to step. A run is stepped by a pure function: it is given what happened, and
// returns where it stands and what is to be done.
package flow

import (
	"slices"
	"strings"
	"time"

	"urgentparrot.example/internal/core/document"
)

// A Type says what a field of a step, trigger or form holds.
type Type string

// The types of fields.
const (
	Text      Type = "text"      // words, with expressions between {{ and }} in them
	Words     Type = "words"     // words as they stand
	Condition Type = "condition" // an expression that is true or false
	Value     Type = "value"     // an expression
	Duration  Type = "duration"  // "30m", "4d"
	Number    Type = "number"    // a whole number
	Flag      Type = "flag"      // true or false
	Choice    Type = "choice"    // one of the field's choices
	Name      Type = "name"      // a name of something in the workspace: see Field.Kind
	Variable  Type = "variable"  // where a value is saved: party_size, contact.email
	Steps     Type = "steps"     // a list of steps
	Cells     Type = "cells"     // texts by key
	Texts     Type = "texts"     // one text, or a list of them
	Object    Type = "object"    // fields in a block
	Objects   Type = "objects"   // a list of such blocks
	JSON      Type = "json"      // anything, as it stands
)

// A Field is a part of a step, trigger or document, with all that is needed to read it,
// check it, describe it in a schema and show it in a form.
type Field struct {
	Name     string
	Type     Type
	Label    string // what the form calls it; its name if ""
	About    string // in a few words, for the schema, the docs and the form
	Required bool
	Choices  []string      // of a Choice
	Kind     string        // of a Name: the kind of document that is named; people: person/x, team/x, bot/x; stage, tag, field, zone
	Keys     string        // of Cells: the Name beside it that names the document, of Kind, whose keys they are
	Of       []Field       // of an Object, or of each of Objects
	Least    float64       // of a Number
	Most     float64       // of a Number; 0: 1,000,000
	Within   time.Duration // of a Duration: at most; 0: a year
	Default  string        // as it is written, for people
	After    bool          // its expressions may use what the step saves and sets
	Question bool          // what stands in it is a question of the customer's
}

// A StepKind is a kind of step: its fields, what it means in words, and what it does.
// Each has a file of its own in the package steps, and is registered in a Language.
type StepKind struct {
	Name    string
	Group   string // converse, think, decide, do
	About   string // what it does, in a sentence
	Example string // as it stands in a list of steps
	Main    string // the field that a bare value fills: say: "Hello"
	Fields  []Field

	// Missing says what is not there yet for the step to work; "" if all is.
	Missing string

	// Talks says that the step needs a conversation, and says something in it or waits
	// for what the customer says.
	Talks bool

	// Saves returns what the step's result is, where it can be saved under a name.
	Saves func(*Step) Kind

	// Sets returns the values that the step sets under names of its own; nil: none.
	Sets func(*Step) map[string]Kind

	// Written returns what is written for those of them whose kind that tells; nil: none.
	Written func(*Step) map[string]*Arg

	// Domains returns which texts those of them may be that are texts; nil: any.
	Domains func(*Step) map[string]Domain

	// Leads says how the step's blocks are come to, for what is known in and after them.
	Leads Leads

	// Over names the fields with which a loop goes over a list.
	Over []string

	// Hears reports whether what is said answers the step while it waits; nil: it cannot be
	// told.
	Hears func(r *Running, s *Step, said string) bool

	// Ends says that nothing after the step in its list is reached.
	Ends bool

	// Waits says that the step waits for time to pass or for somebody.
	Waits bool

	// Check notes what is wrong with a step beyond its fields; nil: nothing.
	Check func(*Checking, *Step)

	// Plain returns what the step does in a plain sentence, without those in its blocks.
	Plain func(*Step) string

	// Run takes the step; Go is called when something that it waited for has happened, or
	// a block of it has come to its end. They must not look at anything but what they are
	// given, so that the same run given the same takes the same way.
	Run func(*Running, *Step) Move
	Go  func(*Running, *Step, Event) Move
}

// Leads says how the blocks of a step are come to.
type Leads string

// The ways in which steps lead to their blocks.
const (
	LeadsNowhere  Leads = ""
	LeadsBranch   Leads = "branch"   // one of the blocks branch.0, branch.1, ...
	LeadsLoop     Leads = "loop"     // the block steps, again and again
	LeadsQuestion Leads = "question" // if_silent, if_unclear
)

// A TriggerKind is a kind of thing that starts a flow.
type TriggerKind struct {
	Name    string
	About   string
	Example string
	Main    string
	Fields  []Field
	Missing string
	Talks   bool // it brings a conversation

	NoContact bool // it brings nobody
	Check     func(*Checking, *Trigger)
	Plain     func(*Trigger) string

	// Sample returns what the event of one that fires it may hold, at a time; nil: that has
	// to be given.
	Sample func(t *Trigger, now time.Time) map[string]any

	// Event lists what the event holds beside what all do, by name: event.text.
	Event func(c *Checking, t *Trigger) map[string]Given

	// FiredBy reports whether a step of the same flow makes happen what the trigger waits
	// for; nil: none does.
	FiredBy func(*Trigger, *Step) bool

	// Overlaps says what starts both of two flows by such triggers, "" if nothing does;
	// nil: that does no harm.
	Overlaps func(a, b *Trigger) string

	// Fits reports whether what happened starts the flow; if not, why.
	Fits func(*Matching, *Trigger) (bool, string)
}

// Given is a value that an event brings.
type Given struct {
	Kind   Kind
	Always bool // it is never missing
}

// Kind is the kind of a value in expressions.
type Kind string

// The kinds of values.
const (
	AText   Kind = "text"
	ANumber Kind = "number"
	AFlag   Kind = "yes or no"
	ATime   Kind = "time"
	AList   Kind = "list"
	ARecord Kind = "record"
	Any     Kind = "anything"
)

// A Language is the steps and triggers that flows may have. It does not change.
type Language struct {
	Steps    []*StepKind
	Triggers []*TriggerKind
}

func (l *Language) step(name string) *StepKind {
	for _, k := range l.Steps {
		if k.Name == name {
			return k
		}
	}
	return nil
}

func (l *Language) trigger(name string) *TriggerKind {
	for _, k := range l.Triggers {
		if k.Name == name {
			return k
		}
	}
	return nil
}

// What every step may have beside its own fields.
var ofEveryStep = []Field{
	{Name: "if", Label: "Only if", Type: Condition, About: "The step is skipped unless this holds."},
	{Name: "save", Label: "Keep the result as", Type: Variable, About: "The name that its result is kept under."},
	{Name: "on_error", Label: "If it fails", Type: Steps, About: "What is done instead when the step fails for good."},
}

// A Place is where something stands in a flow's text, from 1.
type Place struct{ Line, Column int }

// A Flow is a flow that was read. It does not change.
type Flow struct {
	Name, Title    string
	SpeakOn        string // the channel on which starts that bring no conversation speak
	AlreadyRunning string // ignore, start over, both
	PerContact     int    // how often it may start for one contact within Within; 0: as often as it may
	Within         time.Duration
	PerHour        int    // how often it may start in an hour; 0: no bound
	Missed         string // of schedules: once, skip
	Demands        string // rehearsals: they must pass before it goes live
	Triggers       []*Trigger
	Body           *Block

	language *Language
	file     string
	steps    map[string]*Step // by path
	head     Args
	unread   map[Place]bool // of fields that could not be read
}

// A Trigger is one thing that starts a flow.
type Trigger struct {
	Kind  *TriggerKind
	Index int
	At    Place
	Args
}

// A Block is a list of steps.
type Block struct {
	Name  string // in its step: "if_silent", "branch.1"; "" for the flow's
	At    Place
	Steps []*Step
}

// A Step is one step of a flow.
type Step struct {
	Kind   *StepKind
	At     Place
	Path   string // from the flow: "2", "2/if_silent/0"
	Number string // for people: "3", "3.1"
	Blocks []*Block
	Args
}

// Block returns a block of the step, nil if it has none of the name.
func (s *Step) Block(name string) *Block {
	for _, b := range s.Blocks {
		if b.Name == name {
			return b
		}
	}
	return nil
}

// Args are the fields that are there, by name.
type Args map[string]*Arg

// An Arg is the value of one field.
type Arg struct {
	At       Place
	Field    *Field
	Text     string // as it was written: texts, expressions, names, choices
	Quoted   bool
	Number   float64
	Flag     bool
	Duration time.Duration
	Cells    []Cell
	Texts    []*Arg
	Object   Args
	Objects  []Args
	Places   []Place // of Objects
	Block    *Block
	JSON     any
	Unread   bool // it is there, and could not be read
	offset   int  // of the first letter in its line, beyond At
}

// A Cell is a text under a key.
type Cell struct {
	Key string
	*Arg
}

// Has reports whether a field is there.
func (a Args) Has(name string) bool { return a[name] != nil }

// Raw returns a field's text as it was written, "" if it is not there.
func (a Args) Raw(name string) string {
	if arg := a[name]; arg != nil {
		return arg.Text
	}
	return ""
}

// Whole returns a whole number, or otherwise.
func (a Args) Whole(name string, otherwise int) int {
	if arg := a[name]; arg != nil {
		return int(arg.Number)
	}
	return otherwise
}

// Duration returns a duration, or otherwise.
func (a Args) Duration(name string, otherwise time.Duration) time.Duration {
	if arg := a[name]; arg != nil {
		return arg.Duration
	}
	return otherwise
}

// Flag reports whether a flag is there and true.
func (a Args) Flag(name string) bool { return a[name] != nil && a[name].Flag }

// Object returns a block of fields, nil if it is not there.
func (a Args) Object(name string) Args {
	if arg := a[name]; arg != nil {
		return arg.Object
	}
	return nil
}

// List returns a list of blocks of fields.
func (a Args) List(name string) []Args {
	if arg := a[name]; arg != nil {
		return arg.Objects
	}
	return nil
}

// Strings returns the texts of a list as they were written.
func (a Args) Strings(name string) (list []string) {
	if arg := a[name]; arg != nil {
		for _, t := range arg.Texts {
			list = append(list, t.Text)
		}
	}
	return list
}

// overList reports whether a loop goes over a list.
func (s *Step) overList() bool { return slices.ContainsFunc(s.Kind.Over, s.Has) }

// Named is document.Document's.
func (f *Flow) Named() string { return f.Name }

// Refers is document.Document's: what is named in the flow. Check says more of it.
func (f *Flow) Refers() (refers []document.Reference) {
	refers = append(refers, document.Reference{Path: "$", Kind: "settings"})
	f.named(func(kind, name string, _ *Arg) {
		refers = append(refers, document.Reference{Path: "$", Kind: kind, Name: name})
	})
	return refers
}

// Mentions is document.Kind's.
func (l *Language) Mentions(source []byte, kind, name string) (places []document.Place) {
	f, err := l.Parse("", source)
	if err != nil {
		return nil
	}
	f.named(func(k, n string, arg *Arg) {
		if k == kind && n == name {
			places = append(places, document.Place(arg.At))
		}
	})
	return places
}

// named calls note for each document that the flow names, and where.
func (f *Flow) named(note func(kind, name string, arg *Arg)) {
	var look func(args Args)
	look = func(args Args) {
		for _, name := range sortedKeys(args) {
			arg := args[name]
			switch {
			case arg.Field.Type == Name && arg.Field.Kind == "people":
				if kind, who, ok := strings.Cut(arg.Text, "/"); ok {
					note(kind, who, arg)
				}
			case arg.Field.Type == Name && !ofSettings[arg.Field.Kind] && !strings.Contains(arg.Text, "{{"):
				note(arg.Field.Kind, arg.Text, arg)
			}
			look(arg.Object)
			for _, item := range arg.Objects {
				look(item)
			}
		}
	}
	look(f.head)
	for _, t := range f.Triggers {
		look(t.Args)
	}
	f.Each(func(s *Step, _ int) { look(s.Args) })
}

// ofSettings are kinds of names that the settings declare, or nobody.
var ofSettings = map[string]bool{"": true, "any": true, "stage": true, "tag": true, "field": true, "zone": true}

// Hold is document.Held's.
func (f *Flow) Hold(d document.Directory) []document.Finding {
	_, findings := f.Check(d)
	return findings
}

// Step returns the step at a path, nil if there is none.
func (f *Flow) Step(path string) *Step { return f.steps[path] }

// Numbered returns the step of a number, nil if there is none.
func (f *Flow) Numbered(number string) (numbered *Step) {
	if number == "" {
		return nil
	}
	f.Each(func(s *Step, _ int) {
		if s.Number == number {
			numbered = s
		}
	})
	return numbered
}

// Each calls do for every step, in the order of the text, with how deep it stands.
func (f *Flow) Each(do func(s *Step, depth int)) { f.Body.each(do, 0) }

func (b *Block) each(do func(s *Step, depth int), depth int) {
	if b == nil {
		return
	}
	for _, s := range b.Steps {
		do(s, depth)
		for _, inner := range s.Blocks {
			inner.each(do, depth+1)
		}
	}
}

// Talks reports whether the flow takes part in a conversation.
func (f *Flow) Talks() (talks bool) {
	f.Each(func(s *Step, _ int) { talks = talks || s.Kind.Talks })
	return talks
}

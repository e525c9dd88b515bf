package flow

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"urgentparrot.example/internal/core/document"
	"urgentparrot.example/internal/core/text"
)

// What a flow may hold: far more than any that people write.
const (
	mostSteps = 2_000
	mostDeep  = 8      // blocks in blocks
	mostText  = 10_000 // letters of one text
)

// head are the fields of a flow beside its triggers and steps.
var head = []Field{
	{Name: "flow", Type: Words, Required: true, About: "Its name: small letters, digits and hyphens."},
	{Name: "title", Type: Words, About: "What people call it."},
	{Name: "speak_on", Label: "Where it speaks", Type: Name, Kind: "channel", About: "The channel on which it speaks where its start brings no conversation."},
	{Name: "already_running", Label: "If it is running for the contact already", Type: Choice, Choices: []string{"ignore", "start over", "both"}, Default: "ignore", About: "What happens when it starts for a contact for whom it is running."},
	{Name: "limits", Type: Object, About: "How often it may start.", Of: []Field{
		{Name: "per_contact", Label: "Starts for one contact, at most", Type: Number, Least: 1, Most: 1000, About: "For one contact, within the time of within."},
		{Name: "within", Label: "Within", Type: Duration, Default: "1d", About: "The time that per_contact counts in."},
		{Name: "per_hour", Label: "Starts in an hour, at most", Type: Number, Least: 1, Most: 100_000, About: "In an hour, for all."},
	}},
	{Name: "missed", Label: "If the service was stopped at the time", Type: Choice, Choices: []string{"once", "skip"}, Default: "once", About: "What becomes of a time of a schedule that passed while the service was stopped."},
	{Name: "demands", Label: "Before it goes live, these must pass", Type: Choice, Choices: []string{"rehearsals"}, About: "What must pass before it goes live."},
}

// Parse reads a flow. What is wrong that can be seen without the rest of the workspace is
// in the error, which is document.Problems; what needs it is found by Check.
func (l *Language) Parse(file string, source []byte) (*Flow, error) {
	f, c := l.parse(file, source)
	return f, c.Err()
}

// Look reads a flow and holds what can be read of it against its workspace: all that is wrong
// is found at once.
func (l *Language) Look(file string, source []byte, d document.Directory) (findings []document.Finding) {
	f, c := l.parse(file, source)
	problems, _ := c.Err().(document.Problems)
	for _, p := range problems {
		findings = append(findings, document.Finding{Problem: p})
	}
	for _, found := range f.Hold(d) {
		// What an unreadable line lacks is no finding of its own.
		if !slices.ContainsFunc(problems, func(p document.Problem) bool { return p.Line == found.Line }) {
			findings = append(findings, found)
		}
	}
	slices.SortStableFunc(findings, func(a, b document.Finding) int { return cmp.Or(a.Line-b.Line, a.Column-b.Column) })
	return findings
}

func (l *Language) parse(file string, source []byte) (*Flow, *document.Checker) {
	root, c := document.Tree(file, source)
	f := &Flow{language: l, file: file, steps: map[string]*Step{}, unread: map[Place]bool{}, Within: 24 * time.Hour, AlreadyRunning: "ignore", Missed: "once", Body: &Block{}}
	if c.Failed() {
		return f, c
	}
	r := &reader{Checker: c, language: l, flow: f}
	if root.Shape != document.ABlock {
		r.Note(root.Line, root.Column, "a flow begins with its name, as in \"flow: follow-up\"")
		return f, c
	}
	var when, steps *document.Entry
	rest := root
	rest.Entries = nil
	for i, e := range root.Entries {
		switch {
		case e.Key == "when" && when == nil:
			when = &root.Entries[i]
		case e.Key == "steps" && steps == nil:
			steps = &root.Entries[i]
		default:
			rest.Entries = append(rest.Entries, e)
		}
	}
	f.head = r.fields(rest, head, "a flow", []string{"when", "steps"})
	f.Name, f.Title = f.head.Raw("flow"), f.head.Raw("title")
	if f.head.Has("flow") && !document.IsName(f.Name) {
		at := f.head["flow"].At
		r.Note(at.Line, at.Column, "%q is not a name: use small letters, digits and hyphens, at most 40", f.Name)
	}
	if f.Title == "" {
		f.Title = f.Name
	}
	f.SpeakOn, f.Demands = f.head.Raw("speak_on"), f.head.Raw("demands")
	if f.head.Has("already_running") {
		f.AlreadyRunning = f.head.Raw("already_running")
	}
	if f.head.Has("missed") {
		f.Missed = f.head.Raw("missed")
	}
	limits := f.head.Object("limits")
	f.PerContact, f.PerHour, f.Within = limits.Whole("per_contact", 0), limits.Whole("per_hour", 0), limits.Duration("within", f.Within)
	if when == nil {
		r.Note(root.Line, root.Column, "say when the flow starts: when, a list of triggers; by hand if a person starts it")
	} else {
		r.triggers(when.Value)
	}
	if steps == nil {
		r.Note(root.Line, root.Column, "a flow needs steps, a list of what happens")
	} else {
		f.Body = r.block(steps.Value, "", "", "", 0)
	}
	return f, c
}

// A reader reads the nodes of a document into fields.
type reader struct {
	*document.Checker
	language *Language
	flow     *Flow
	count    int

	collecting *blocks // the lists of steps of the step that is read
	prefix     string  // of the names of lists of steps in a list
}

func at(n document.Node) Place { return Place{n.Line, n.Column} }

func (r *reader) triggers(n document.Node) {
	items := n.Items
	if n.Shape == document.ABlock || n.Shape == document.AText {
		items = []document.Node{n} // one alone
	}
	if len(items) == 0 {
		r.Note(n.Line, n.Column, "%s stands here; a list of triggers is expected, such as \"- message: { contains: [refund] }\"", n.Shape)
	}
	for i, item := range items {
		t := &Trigger{Index: i, At: at(item)}
		switch {
		case item.Shape == document.AText:
			if t.Kind = r.language.trigger(item.Text); t.Kind == nil {
				r.unknownTrigger(item.Line, item.Column, item.Text)
				continue
			}
			t.Args = Args{}
		case item.Shape == document.ABlock && len(item.Entries) > 0:
			var main *document.Entry
			for j, e := range item.Entries {
				if k := r.language.trigger(e.Key); k != nil && main == nil {
					t.Kind, main = k, &item.Entries[j]
				}
			}
			if main == nil {
				r.unknownTrigger(item.Entries[0].Line, item.Entries[0].Column, item.Entries[0].Key)
				continue
			}
			t.At = Place{main.Line, main.Column}
			t.Args = r.headed(item, *main, t.Kind.Main, t.Kind.Fields, "the trigger "+t.Kind.Name)
		default:
			r.Note(item.Line, item.Column, "%s stands here; a trigger is expected, such as \"message: { contains: [refund] }\"", item.Shape)
			continue
		}
		r.flow.Triggers = append(r.flow.Triggers, t)
	}
}

func (r *reader) unknownTrigger(line, column int, name string) {
	var known []string
	for _, k := range r.language.Triggers {
		known = append(known, k.Name)
	}
	r.unknown(line, column, "there is no trigger called %q", name, known)
}

// unknown notes a word that is not known, with the one that may be meant or all that are.
func (r *reader) unknown(line, column int, format, word string, known []string) {
	said := fmt.Sprintf(format, clipped(word))
	if nearest := document.Nearest(word, known); nearest != "" {
		r.Note(line, column, "%s; did you mean %q?", said, nearest)
		return
	}
	slices.Sort(known)
	r.Note(line, column, "%s; there are: %s", said, strings.Join(slices.Compact(known), ", "))
}

// headed reads what is headed by its kind's name: its fields stand in a block behind the
// name, beside it, or the main one stands behind it alone.
func (r *reader) headed(item document.Node, main document.Entry, mainField string, fields []Field, what string) Args {
	all := document.Node{Shape: document.ABlock, Line: item.Line, Column: item.Column}
	field := fieldNamed(fields, mainField)
	asBlock := main.Value.Shape == document.ABlock && (field == nil || !(field.Type == Cells || field.Type == Object) || hasOnly(main.Value, fields))
	switch {
	case asBlock:
		all.Entries = append(all.Entries, main.Value.Entries...)
	case main.Value.Shape == document.NoValue:
		all.Line, all.Column = main.Line, main.Column
	case mainField == "":
		r.Note(main.Value.Line, main.Value.Column, "%s stands here; %s has its settings in a block, such as %s: { %s }", main.Value.Shape, what, main.Key, fieldNames(fields))
		return Args{}
	default:
		all.Entries = append(all.Entries, document.Entry{Key: mainField, Line: main.Line, Column: main.Column, Value: main.Value})
	}
	for _, e := range item.Entries {
		if e.Line != main.Line || e.Column != main.Column {
			all.Entries = append(all.Entries, e)
		}
	}
	return r.fields(all, fields, what, nil)
}

func hasOnly(n document.Node, fields []Field) bool {
	for _, e := range n.Entries {
		if fieldNamed(fields, e.Key) == nil {
			return false
		}
	}
	return true
}

func fieldNamed(fields []Field, name string) *Field {
	for i := range fields {
		if fields[i].Name == name {
			return &fields[i]
		}
	}
	return nil
}

func fieldNames(fields []Field) string {
	var names []string
	for _, f := range fields {
		names = append(names, f.Name)
	}
	return strings.Join(names, ", ")
}

// block reads a list of steps.
func (r *reader) block(n document.Node, name, path, number string, depth int) *Block {
	b := &Block{Name: name, At: at(n)}
	if depth > mostDeep {
		r.Note(n.Line, n.Column, "steps stand more than %d deep here; make a flow of its own of them and start it", mostDeep)
		return b
	}
	items := n.Items
	switch {
	case n.Shape == document.ABlock: // one step alone
		items = []document.Node{n}
	case n.Shape != document.AList || len(items) == 0:
		r.Note(n.Line, n.Column, "%s stands here; a list of steps is expected, such as \"- say: Hello\"", n.Shape)
	}
	for i, item := range items {
		if r.count++; r.count == mostSteps+1 {
			r.Note(item.Line, item.Column, "a flow has at most %d steps", mostSteps)
		}
		if r.count > mostSteps {
			return b
		}
		if s := r.step(item, path+strconv.Itoa(i), number+strconv.Itoa(i+1), depth); s != nil {
			b.Steps = append(b.Steps, s)
			r.flow.steps[s.Path] = s
		}
	}
	return b
}

func (r *reader) step(item document.Node, path, number string, depth int) *Step {
	s := &Step{At: at(item), Path: path, Number: number}
	var main *document.Entry
	switch {
	case item.Shape == document.AText:
		if s.Kind = r.language.step(item.Text); s.Kind != nil {
			main = &document.Entry{Key: item.Text, Line: item.Line, Column: item.Column, Value: document.Node{Shape: document.NoValue, Line: item.Line, Column: item.Column}}
			item = document.Node{Shape: document.ABlock, Line: item.Line, Column: item.Column}
		}
	case item.Shape == document.ABlock:
		for i, e := range item.Entries {
			k := r.language.step(e.Key)
			if k == nil {
				continue
			}
			if main != nil {
				if fieldNamed(s.Kind.Fields, e.Key) != nil {
					continue
				}
				if e.Key == main.Key {
					r.Note(e.Line, e.Column, "%q is there already, in line %d", e.Key, main.Line)
					return nil
				}
				r.Note(e.Line, e.Column, "%s and %s stand in one step; begin each with a - of its own", main.Key, e.Key)
				return nil
			}
			s.Kind, main = k, &item.Entries[i]
		}
	default:
		r.Note(item.Line, item.Column, "%s stands here; a step is expected, such as \"say: Hello\"", item.Shape)
		return nil
	}
	if main == nil {
		var known []string
		for _, k := range r.language.Steps {
			known = append(known, k.Name)
		}
		word, line, column := item.Text, item.Line, item.Column
		if len(item.Entries) > 0 {
			e := item.Entries[0]
			for _, other := range item.Entries { // the likeliest one is told
				if document.Nearest(other.Key, known) != "" {
					e = other
					break
				}
			}
			word, line, column = e.Key, e.Line, e.Column
		}
		r.unknown(line, column, "there is no step called %q", word, known)
		return nil
	}
	s.At = Place{main.Line, main.Column}
	fields := slices.Concat(s.Kind.Fields, ofEveryStep)
	if s.Kind.Saves == nil {
		fields = slices.DeleteFunc(fields, func(f Field) bool { return f.Name == "save" && fieldNamed(s.Kind.Fields, "save") == nil })
	}
	b := &blocks{step: s, depth: depth}
	r.within(b, func() { s.Args = r.headed(item, *main, s.Kind.Main, fields, "the step "+s.Kind.Name) })
	for i, waiting := range b.waiting {
		letter := ""
		if len(b.waiting) > 1 {
			letter = string(rune('a' + i%26))
		}
		*waiting.into = *r.block(waiting.node, waiting.name, path+"/"+waiting.name+"/", number+letter+".", depth+1)
		s.Blocks = append(s.Blocks, waiting.into)
	}
	return s
}

// blocks are the lists of steps in one step, which are read after its fields.
type blocks struct {
	step    *Step
	depth   int
	waiting []waitingBlock
}

type waitingBlock struct {
	name string
	node document.Node
	into *Block
}

// clipped bounds what is quoted of a flow.
func clipped(s string) string { return text.Short(s, 60) }

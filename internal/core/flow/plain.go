package flow

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"urgentparrot.example/internal/core/text"
)

// A Sentence is a step in words, for people.
type Sentence struct {
	Number string `json:"number"`
	Depth  int    `json:"depth"`
	Line   int    `json:"line"`
	Path   string `json:"path"` // of the step, of the block in its step, or of the trigger
	Words  string `json:"words"`
}

// Starts says when the flow starts: "when somebody starts it by hand, or when ...".
func (f *Flow) Starts() string {
	starts := make([]string, 0, len(f.Triggers))
	for _, t := range f.Triggers {
		if t.lacks(t.Kind.Fields) {
			starts = append(starts, "by "+t.Kind.Name+", which is not complete yet")
			continue
		}
		starts = append(starts, "when "+t.Kind.Plain(t))
	}
	return strings.Join(starts, ", or ")
}

// ExplainStarts tells each trigger as a sentence.
func (f *Flow) ExplainStarts() (list []Sentence) {
	for _, t := range f.Triggers {
		list = append(list, Sentence{Line: t.At.Line, Path: strconv.Itoa(t.Index), Words: t.words()})
	}
	return list
}

// Explain tells the flow as numbered plain sentences; those of inner steps are indented.
func (f *Flow) Explain() (list []Sentence) {
	list = append(list, Sentence{Line: 1, Words: "Starts " + f.Starts() + "."})
	var tell func(b *Block, depth int)
	tell = func(b *Block, depth int) {
		for _, s := range b.Steps {
			words := s.Words()
			if s.Has("if") {
				words = fmt.Sprintf("Only if %s: %s", InWords(s.Raw("if")), uncapped(words))
			}
			if s.Has("save") && s.Kind.Saves != nil {
				words += fmt.Sprintf(" Keeps it as %s.", s.Raw("save"))
			}
			list = append(list, Sentence{s.Number, depth, s.At.Line, s.Path, words})
			for _, inner := range s.Blocks {
				if said := s.sayBlock(inner); said != "" {
					list = append(list, Sentence{"", depth, inner.At.Line, s.Path + "/" + inner.Name, said})
				}
				tell(inner, depth+1)
			}
		}
	}
	tell(f.Body, 0)
	return list
}

// Names are those of the values that the flow's steps keep, and of what a question or a wait
// tells, in order: what its conditions may use, beside the contact's fields.
func (f *Flow) Names() []string {
	names := map[string]bool{}
	f.Each(func(s *Step, _ int) {
		for name := range s.sets() {
			names[name] = true
		}
	})
	delete(names, "")
	return sortedKeys(names)
}

// Words say what the step does, without those in its blocks; of one that is only begun, what it
// has so far.
func (s *Step) Words() string {
	said := s.Kind.Plain(s)
	if !s.lacks(s.Kind.Fields) && (len(s.Args) > 0 || !strings.Contains(said, Quote(""))) {
		return Ended(strings.TrimSuffix(said, "."))
	}
	said = labelled(s.Kind.Name)
	if main := s.Raw(s.Kind.Main); main != "" {
		said += " " + Quote(main)
	}
	return said + notComplete
}

// words say when the trigger fires; of one that is only begun, that it is.
func (t *Trigger) words() string {
	if t.lacks(t.Kind.Fields) {
		return labelled(t.Kind.Name) + notComplete
	}
	return Ended("When " + t.Kind.Plain(t))
}

// notComplete is said behind the name of a step or trigger that lacks something.
const notComplete = ": not complete yet."

// lacks reports whether something that is needed of some fields is not there.
func (a Args) lacks(fields []Field) bool {
	return slices.ContainsFunc(fields, func(f Field) bool {
		return f.Required && f.Type != Steps && f.Type != Objects && !a.Has(f.Name)
	})
}

// uncapped is a sentence that goes on from another.
func uncapped(s string) string {
	if len(s) > 1 && (s[1] >= 'a' || s[1] == ' ') {
		return strings.ToLower(s[:1]) + s[1:]
	}
	return s
}

// sayBlock says when a list of steps of a step is taken.
func (s *Step) sayBlock(b *Block) string {
	switch {
	case b.Name == "on_error":
		return "If that fails:"
	case b.Name == "if_silent":
		return fmt.Sprintf("If nobody answers within %s:", Spoken(s.Duration("patience", Patience)))
	case b.Name == "if_unclear":
		return "If no clear answer comes:"
	case s.Kind.Leads == LeadsBranch:
		for i, arm := range s.List("branch") {
			if b.Name != fmt.Sprintf("branch.%d", i) {
				continue
			}
			if arm.Has("else") {
				return "Otherwise:"
			}
			if i == 0 {
				return "If " + InWords(arm.Raw("if")) + ":"
			}
			return "Or if " + InWords(arm.Raw("if")) + ":"
		}
	}
	return ""
}

// Quote puts a text into a sentence, cut where it is long.
func Quote(s string) string {
	return "“" + text.Short(strings.Join(strings.Fields(s), " "), 120) + "”"
}

// Ended ends a sentence, unless it ends with what is said in it.
func Ended(s string) string {
	for _, end := range []string{".”", "!”", "?”", "…”", ".", ":"} {
		if strings.HasSuffix(s, end) {
			return s
		}
	}
	return s + "."
}

// Or joins texts: "a, b or c".
func Or(list []string) string {
	switch len(list) {
	case 0:
		return ""
	case 1:
		return list[0]
	}
	return strings.Join(list[:len(list)-1], ", ") + " or " + list[len(list)-1]
}

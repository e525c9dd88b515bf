package dialogue

import (
	"encoding/json"
	"slices"
	"strings"
	"time"

	"urgentparrot.example/internal/core/knowledge"
	"urgentparrot.example/internal/core/text"
	"urgentparrot.example/internal/core/workspace"
)

// A Tool is a workspace tool made ready to be recognised in questions.
type Tool struct {
	workspace.Tool
	arguments []argument
	examples  [][]string // stems of the questions it answers, without values
}

// An argument is one of a tool's, with its values taken apart.
type argument struct {
	workspace.Argument
	values []value
}

// A value is one that an argument may have.
type value struct {
	text  string
	words []text.Word
	short string // the word that stands for it alone, "" if none does
}

func takeApart(values []string) []value {
	list := make([]value, len(values))
	for i, v := range values {
		list[i] = value{text: v, words: text.Words(v)}
	}
	for i := range list {
		list[i].short = distinctive(list[i].words, list)
	}
	return list
}

// PrepareTool makes a tool ready for Snapshot.Tools.
func PrepareTool(analyzer *text.Analyzer, t workspace.Tool) Tool {
	tool := Tool{Tool: t}
	for _, a := range t.ArgumentList() {
		tool.arguments = append(tool.arguments, argument{a, takeApart(a.Values)})
	}
	for _, example := range t.When {
		var stems []string
		for _, term := range tool.telling(analyzer, example) {
			stems = append(stems, term.Stem)
		}
		tool.examples = append(tool.examples, stems)
	}
	return tool
}

// likeness compares a question with those the tool answers, leaving out the
// values of arguments: twice the weight shared over the weight of both, 0 to 1.
func (t Tool) likeness(ix *knowledge.Index, question string) float64 {
	terms := t.telling(ix.Analyzer(), question)
	best := 0.0
	for _, example := range t.examples {
		var shared, all float64
		for _, term := range terms {
			w := ix.Weight(term)
			all += w
			if slices.Contains(example, term.Stem) {
				shared += 2 * w
			}
		}
		for _, stem := range example {
			all += ix.Rarity(stem)
		}
		if all > 0 {
			best = max(best, shared/all)
		}
	}
	return best
}

// telling returns the telling terms of a question without those that are values
// of arguments, or dates and times.
func (t Tool) telling(analyzer *text.Analyzer, question string) []text.Term {
	words := text.Words(question)
	var taken []text.Span
	for _, a := range t.arguments {
		for _, m := range mentions(words, a.values) {
			taken = append(taken, text.Span{Start: words[m.first].Start, End: words[m.last].End})
		}
	}
	var terms []text.Term
	for _, term := range analyzer.Telling(question) {
		isValue := slices.ContainsFunc(taken, func(s text.Span) bool { return s.Start <= term.Start && term.End <= s.End })
		if !isValue && !term.Light && !text.IsTime(term.Word) {
			terms = append(terms, term)
		}
	}
	return terms
}

// hear takes arguments out of what was said. expected names the argument that
// was asked for, "" if none: a value that stands alone is its.
func (t Tool) hear(said, expected string, now time.Time) map[string]any {
	words := text.Words(said)
	heard := map[string]any{}
	for _, a := range t.arguments {
		switch {
		case len(a.values) > 0:
			for _, m := range mentions(words, a.values) {
				before := m.first > 0 && slices.Contains(a.After, words[m.first-1].Folded)
				claimed := m.first > 0 && t.claims(words[m.first-1].Folded, a.Name)
				if before || a.Name == expected && !claimed || a.Required && !claimed && heard[a.Name] == nil {
					heard[a.Name] = m.value
				}
			}
		case a.Format == "date":
			if day, ok := text.Date(said, now); ok {
				heard[a.Name] = day.Format(time.DateOnly)
			}
		case a.Format == "time-of-day":
			if clock, ok := text.Clock(said); ok {
				heard[a.Name] = clock
			}
		case a.Format == "email":
			if email := text.Email(said); email != "" {
				heard[a.Name] = email
			}
		case a.Type == "integer" || a.Type == "number":
			for _, w := range words {
				if n, ok := text.Number(w.Folded); ok {
					heard[a.Name] = n
					break
				}
			}
		case a.Name == expected && strings.TrimSpace(said) != "":
			heard[a.Name] = text.Squeeze(said)
		}
	}
	return heard
}

// claims reports whether a word announces the value of another argument.
func (t Tool) claims(word, name string) bool {
	return slices.ContainsFunc(t.arguments, func(a argument) bool {
		return a.Name != name && slices.Contains(a.After, word)
	})
}

// complete adds defaults, and returns the first required argument that is still
// missing, if any.
func (t Tool) complete(arguments map[string]any) (missing *workspace.Argument) {
	for i, a := range t.arguments {
		if _, ok := arguments[a.Name]; ok {
			continue
		}
		if a.Default != nil {
			arguments[a.Name] = a.Default
		} else if a.Required && missing == nil {
			missing = &t.arguments[i].Argument
		}
	}
	return missing
}

// A mention is a value found among words.
type mention struct {
	value       string
	first, last int // word indexes
}

// mentions finds values among words: whole, misspelt a little, or by their first
// word where no other value begins with it.
func mentions(words []text.Word, values []value) []mention {
	var found []mention
	for i := 0; i < len(words); {
		m, ok := mentionAt(words, i, values)
		if !ok {
			i++
			continue
		}
		found = append(found, m)
		i = m.last + 1
	}
	return found
}

func mentionAt(words []text.Word, at int, values []value) (mention, bool) {
	var short *mention
	for i := range values {
		v := &values[i]
		n := 0
		for n < len(v.words) && at+n < len(words) && nearly(words[at+n].Folded, v.words[n].Folded) {
			n++
		}
		if len(v.words) > 0 && n == len(v.words) {
			return mention{v.text, at, at + n - 1}, true
		}
		if short == nil && v.short != "" && nearly(words[at].Folded, v.short) {
			short = &mention{v.text, at, at}
		}
	}
	if short != nil {
		return *short, true
	}
	return mention{}, false
}

// distinctive returns the first of a value's words that no other value has, if
// it is no common word and long enough to stand for the value: "hallow".
func distinctive(words []text.Word, values []value) string {
	for _, w := range words {
		holders := 0
		for _, v := range values {
			if slices.ContainsFunc(v.words, func(o text.Word) bool { return o.Folded == w.Folded }) {
				holders++
			}
		}
		if holders == 1 && len(w.Folded) >= 5 && !text.IsCommon(w.Folded) {
			return w.Folded
		}
	}
	return ""
}

// nearly reports whether two words are the same but for a slip or two: one in a
// word of five letters, two in one of eight.
func nearly(a, b string) bool {
	if a == b {
		return true
	}
	if min(len(a), len(b)) < 3 || len(a) < 5 || a[0] != b[0] && a[1] != b[1] || len(a)-len(b) > 2 || len(b)-len(a) > 2 {
		return false // too short, or too unlike to measure
	}
	allowed := 0
	switch n := min(len(a), len(b)); {
	case n >= 8:
		allowed = 2
	case n >= 5:
		allowed = 1
	}
	return allowed > 0 && text.Distance(a, b) <= allowed
}

// key names a call by what it asks, so that its result is found again.
func (c Call) key() string {
	raw, err := json.Marshal(c.Arguments)
	if err != nil {
		return c.Tool
	}
	return c.Tool + " " + string(raw)
}

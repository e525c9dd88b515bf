package dialogue

import (
	"encoding/json"
	"regexp"
	"slices"
	"strings"
	"sync"
	"time"

	"urgentparrot.example/internal/core/knowledge"
	"urgentparrot.example/internal/core/text"
	"urgentparrot.example/internal/core/tool"
)

// A Tool is a workspace tool made ready to be recognised in questions.
type Tool struct {
	tool.Tool
	arguments []argument
	examples  [][]string // stems of the questions it answers, without values
	bare      []string   // those questions without values
}

// An argument is one of a tool's, with its values taken apart.
type argument struct {
	tool.Argument
	values  []value
	pattern *regexp.Regexp // of a whole value; nil: none
}

// A value is one that an argument may have, in one way of saying it.
type value struct {
	text  string
	words []text.Word
	short string // the word that stands for it alone, "" if none does
}

func takeApart(a tool.Argument) []value {
	list := make([]value, 0, len(a.Values))
	for _, v := range a.Values {
		list = append(list, value{text: v, words: text.Words(v)})
	}
	for i := range list {
		list[i].short = distinctive(list[i].words, list)
	}
	for _, v := range a.Values {
		for _, other := range a.Words[v] {
			list = append(list, value{text: v, words: text.Words(other)})
		}
	}
	return list
}

// PrepareTool makes a tool ready for Snapshot.Tools.
func PrepareTool(analyzer *text.Analyzer, t tool.Tool) Tool {
	prepared := Tool{Tool: t}
	for _, a := range t.ArgumentList() {
		taken := argument{Argument: a, values: takeApart(a)}
		if a.Pattern != "" {
			taken.pattern, _ = regexp.Compile(`^(?:` + a.Pattern + `)$`) // one of another syntax finds nothing
		}
		prepared.arguments = append(prepared.arguments, taken)
	}
	for _, example := range t.When {
		var stems []string
		asked := ask(analyzer, example)
		for _, term := range prepared.telling(asked) {
			stems = append(stems, term.Stem)
		}
		prepared.examples = append(prepared.examples, stems)
		prepared.bare = append(prepared.bare, prepared.without(asked))
	}
	return prepared
}

// An asking is a question taken apart once, for all tools that it is held against.
type asking struct {
	said    string
	words   []text.Word
	telling []text.Term
}

func ask(analyzer *text.Analyzer, said string) *asking {
	return &asking{said, text.Words(said), analyzer.Telling(said)}
}

// likeness compares a question with those the tool answers, leaving out the
// values of arguments: twice the weight shared over the weight of both, 0 to 1.
func (t Tool) likeness(ix *knowledge.Index, question *asking) float64 {
	terms := t.telling(question)
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
func (t Tool) telling(question *asking) []text.Term {
	taken := t.values(question)
	var terms []text.Term
	for _, term := range question.telling {
		isValue := slices.ContainsFunc(taken, func(s text.Span) bool { return s.Start <= term.Start && term.End <= s.End })
		if !isValue && !term.Light && !text.IsTime(term.Word) {
			terms = append(terms, term)
		}
	}
	return terms
}

// values are the places of a question where values of arguments stand.
func (t Tool) values(question *asking) (taken []text.Span) {
	words := question.words
	for _, a := range t.arguments {
		for _, m := range mentions(words, a.values) {
			if m.first < m.last || !isEveryday(words[m.first].Folded) {
				taken = append(taken, text.Span{Start: words[m.first].Start, End: words[m.last].End})
			}
		}
		for _, m := range a.matches(question.said) {
			taken = append(taken, m.Span)
		}
	}
	return taken
}

// without is a question without the values of arguments, and without days and times.
func (t Tool) without(question *asking) string {
	blanked := []byte(question.said)
	taken := t.values(question)
	for _, w := range question.words {
		if text.IsTime(w.Folded) {
			taken = append(taken, text.Span{Start: w.Start, End: w.End})
		}
	}
	for _, s := range taken {
		copy(blanked[s.Start:s.End], strings.Repeat(" ", s.End-s.Start))
	}
	return text.Squeeze(string(blanked))
}

// A match is a value that has the argument's pattern, and where it stands.
type match struct {
	text.Span
	value string
}

// matches finds the values of an argument with a pattern, in small letters or capitals.
func (a argument) matches(said string) (list []match) {
	if a.pattern == nil {
		return nil
	}
	for at := 0; at < len(said); {
		end := at
		for end < len(said) && !strings.ContainsRune(" \t\n", rune(said[end])) {
			end++
		}
		token := strings.Trim(said[at:end], `.,;:!?()"'`)
		start := at + strings.Index(said[at:end], token)
		for _, form := range []string{token, strings.ToUpper(token)} {
			if token != "" && a.pattern.MatchString(form) {
				list = append(list, match{text.Span{Start: start, End: start + len(token)}, form})
				break
			}
		}
		at = end + 1
	}
	return list
}

// isEveryday reports whether a word is one of the language rather than a name: as a value
// ("last", "return") it yet tells what is wanted.
func isEveryday(folded string) bool { return text.IsCommon(folded) || text.English().Times(folded) > 0 }

// A listening is what is read of a text once, for whichever tools it may be meant.
type listening struct {
	said    string
	words   []text.Word
	speech  text.Speech
	day     func() (time.Time, bool)
	clock   func() (string, bool)
	figures func() []text.Figure
}

func listen(said string, now time.Time, speech text.Speech) *listening {
	return &listening{
		said: said, words: text.Words(said), speech: speech,
		day:     sync.OnceValues(func() (time.Time, bool) { return text.Date(said, now) }),
		clock:   sync.OnceValues(func() (string, bool) { return text.TimeOfDay(said) }),
		figures: sync.OnceValue(func() []text.Figure { return speech.Figures(said) }),
	}
}

// hear takes arguments out of what was said. expected names the argument that
// was asked for, "" if none: a value that stands alone is its.
func (t Tool) hear(l *listening, expected string) map[string]any {
	said, words := l.said, l.words
	heard := map[string]any{}
	for _, a := range t.arguments {
		asked := a.Name == expected
		switch {
		case !a.Said():
		case len(a.values) > 0:
			for _, m := range mentions(words, a.values) {
				before := m.first > 0 && slices.Contains(a.After, words[m.first-1].Folded)
				claimed := m.first > 0 && t.claims(words[m.first-1].Folded, a.Name)
				free := a.Required || len(a.After) == 0
				if before || asked && !claimed || free && !claimed && heard[a.Name] == nil {
					heard[a.Name] = m.value
				}
			}
		case a.Format == "date":
			if day, ok := l.day(); ok {
				heard[a.Name] = day.Format(time.DateOnly)
			}
		case a.Format == "time-of-day":
			if clock, ok := l.clock(); ok {
				heard[a.Name] = clock
			} else if asked {
				if clock, ok := text.SpokenClock(said, true); ok {
					heard[a.Name] = clock
				}
			}
		case a.Format == "email":
			if email := text.Email(said); email != "" {
				heard[a.Name] = email
			}
		case a.Type == "integer" || a.Type == "number":
			if n, ok := a.number(l, asked); ok {
				heard[a.Name] = n
			}
		case a.Type == "boolean":
			if yes, ok := l.speech.YesOrNo(said); ok && asked {
				heard[a.Name] = yes
			}
		case a.pattern != nil:
			for _, m := range a.matches(said) {
				heard[a.Name] = m.value
			}
		default:
			if rest := t.follows(a, said, words); rest != "" {
				heard[a.Name] = rest
			} else if asked && strings.TrimSpace(said) != "" {
				heard[a.Name] = text.Squeeze(said)
			}
		}
	}
	return heard
}

// number is the first number that is the argument's: beside one of its words, where it has
// some, unless it was asked for.
func (a argument) number(l *listening, asked bool) (float64, bool) {
	said, words := l.said, l.words
	for _, f := range l.figures() {
		if f.Start > 0 && isDigit(said[f.Start-1]) || f.End < len(said) && isDigit(said[f.End]) {
			continue // a piece of something longer
		}
		beside := false
		for _, w := range words {
			if w.End < f.Start && f.Start-w.End <= 1 && slices.Contains(a.After, w.Folded) || w.Start > f.End && w.Start-f.End <= 1 && slices.Contains(a.Before, w.Folded) {
				beside = true
			}
		}
		if beside || asked || len(a.After)+len(a.Before) == 0 {
			return f.Value, true
		}
	}
	return 0, false
}

func isDigit(b byte) bool { return b >= '0' && b <= '9' }

// mostFollowing is how many words of a text are taken that stands after one of its words.
const mostFollowing = 8

// follows is what stands after one of the argument's words, to the end of what belongs
// together, or to the word of another argument: "I found [a red umbrella] on the boat".
func (t Tool) follows(a argument, said string, words []text.Word) string {
	for i, w := range words {
		if !slices.Contains(a.After, w.Folded) || i+1 == len(words) {
			continue
		}
		last := i
		for last+1 < len(words) && last-i < mostFollowing && !t.claims(words[last+1].Folded, a.Name) && !strings.ContainsAny(said[words[last].End:words[last+1].Start], ".,;:!?\n") {
			last++
		}
		if last > i {
			return text.Squeeze(said[words[i+1].Start:words[last].End])
		}
	}
	return ""
}

// claims reports whether a word announces the value of another argument.
func (t Tool) claims(word, name string) bool {
	return slices.ContainsFunc(t.arguments, func(a argument) bool {
		return a.Name != name && slices.Contains(a.After, word)
	})
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

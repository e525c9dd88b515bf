package dialogue

import (
	"runtime"
	"slices"
	"strings"
	"sync"
	"time"

	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/core/text"
)

// Which tool a question is for. Beside how near it is to the questions that a tool answers
// stands how near it is with the values of arguments left out of both ("departures to" beside
// "when is the next boat to"), how much of what the tool needs is said, and how well the
// knowledge answers it. The weights are those of a logistic regression on two thirds of
// testdata/asking.txt, where near misses count two and a half times; the last third says what
// they are worth.
const (
	toolNear      = 4.09  // for the likeness to the nearest example, all in all
	toolNearWords = 3.35  // with the values left out
	toolKnown     = -1.29 // for that to the nearest passage
	toolNeeds     = 3.05  // where something is said that the tool cannot do without
	toolMore      = 1.53  // for each other argument that is said, to two
	toolPattern   = 0.94  // where that is of a form of its own: a ticket number
	toolAnswered  = -1.04 // for the confidence of the best passage
	toolOthers    = -1.04 // for what the question says that only the knowledge speaks of
	toolFrom      = -9.49
	toolBar       = 0.2 // from which it is a question for the tool

	toolMost = toolNeeds + 2*toolMore + toolPattern // that what is said may add

	toolOtherDay = 3 // where a feast is named, which is a day, and none that is understood

	// Where meanings are not known, words must do.
	toolLikeness = 0.6
)

// A fit is how well a question fits a tool.
type fit struct {
	likeness float64 // to the tool's questions, 0 to 1
	rank     float64 // beside other tools
	odds     float64 // that the tool is meant, as a logit
}

// toolFor returns the tool that a question is for, the one of several that it fits best, and
// how like those it is that the tool answers. bare is what it says without values, for each.
func (t *turn) toolFor(part answer.Part, found answer.Found, bare []string) (best Tool, likeness float64, ok bool) {
	var top fit
	for i, f := range t.fits(part, found, bare) {
		if i == 0 || f.rank > top.rank {
			best, top = t.Tools[i], f
		}
	}
	return best, top.likeness, len(t.Tools) > 0 && top.odds >= toolBar
}

// manyTools is how many are worth being held against a question on two processors.
const manyTools = 8

// fits holds a question against all tools.
func (t *turn) fits(part answer.Part, found answer.Found, bare []string) []fit {
	fits := make([]fit, len(t.Tools))
	hold := func(from, to int) {
		for i := from; i < to; i++ {
			fits[i] = t.fit(t.Tools[i], part, found, bare[i])
		}
	}
	half := len(fits)
	if half >= manyTools && t.Finder.Wanted == nil && runtime.GOMAXPROCS(0) > 1 {
		t.asking(part.Text)
		t.asking(found.Mended)
		t.listenFor(part.Text) // what is read of them is read before
		half /= 2
	}
	var other sync.WaitGroup
	other.Go(func() { hold(half, len(fits)) })
	hold(0, half)
	other.Wait()
	return fits
}

// bare is what a question says without the values of arguments, for each tool.
func (t *turn) bare(said string) []string {
	bare := make([]string, len(t.Tools))
	for i, tool := range t.Tools {
		bare[i] = tool.without(t.asking(said))
	}
	return bare
}

// comparisons are those that a question will be put to: with what tools answer, and with what is
// passed on.
func (t *turn) comparisons(part answer.Part, bare []string) (list []answer.Comparison) {
	for i, tool := range t.Tools {
		list = append(list, answer.Comparison{Said: part.Text, Examples: tool.When}, answer.Comparison{Said: bare[i], Examples: tool.bare})
	}
	for _, p := range t.Brief.Pass {
		list = append(list, answer.Comparison{Said: part.Text, Examples: p.When})
	}
	return list
}

func (t *turn) fit(tool Tool, part answer.Part, found answer.Found, said string) fit {
	likeness := tool.likeness(t.Finder.Index, t.asking(found.Mended))
	near := t.Finder.Near(t.ctx, part, found, tool.When)
	if near.Match == 0 && near.KnownMatch == 0 { // meanings are not known
		return fit{likeness, likeness, toolBar + likeness - toolLikeness}
	}
	bare := 0.0
	for _, l := range t.Finder.Likenesses(t.ctx, said, tool.bare) {
		bare = max(bare, l.All())
	}
	if toolFrom+toolNear*near.Examples()+toolNearWords*bare+toolMost < toolBar {
		return fit{max(likeness, min(near.Meaning, 1)), (near.Examples() + bare) / 2, toolFrom} // whatever is said for it
	}
	needs, more, pattern := t.saysFor(tool, part.Text)
	confidence := 0.0
	if len(found.Candidates) > 0 {
		confidence = found.Candidates[0].Confidence
	}
	odds := toolFrom + toolNear*near.Examples() + toolNearWords*bare + toolKnown*near.Knowledge() + toolNeeds*needs + toolMore*more + toolPattern*pattern + toolAnswered*confidence + toolOthers*t.others(tool, part.Text)
	if namesFeast(part.Text) { // no tool is asked for a day that it would take for today
		odds -= toolOtherDay
	}
	return fit{max(likeness, min(near.Meaning, 1)), (near.Examples()+bare)/2 + more/5 + needs/10, odds}
}

func namesFeast(said string) bool {
	return slices.ContainsFunc(text.Words(said), func(w text.Word) bool { return text.IsFeast(w.Folded) })
}

// others is how much of what a question says is what the knowledge speaks of and none of the
// tool's questions do ("the bakery"), 0 to 1 by weight.
func (t *turn) others(tool Tool, said string) float64 {
	ix := t.Finder.Index
	foreign, all := 0.0, 0.0
	for _, term := range tool.telling(t.asking(said)) {
		w := ix.Weight(term)
		all += w
		asked := slices.ContainsFunc(tool.examples, func(stems []string) bool { return slices.Contains(stems, term.Stem) })
		if !asked && ix.Knows(term.Stem) {
			foreign += w
		}
	}
	if all == 0 {
		return 0
	}
	return foreign / all
}

// saysFor says how much of what a tool needs is said: whether something that it cannot do
// without is, half of that for a tool that needs nothing; how many other arguments, to two, the
// present day not counting; and whether one has a form of its own.
func (t *turn) saysFor(tool Tool, said string) (needs, more, pattern float64) {
	heard := t.heardFor(tool, said)
	required := false
	for _, a := range tool.arguments {
		value, is := heard[a.Name]
		required = required || a.Required && a.Said()
		switch {
		case !is:
		case a.Required:
			needs = 1
			if a.pattern != nil {
				pattern = 1
			}
		case value != t.Now.Format(time.DateOnly):
			more = min(more+1, 2)
		}
	}
	if !required {
		needs = 0.5
	}
	return needs, more, pattern
}

// heardFor takes the arguments of a tool out of what was said. The name of the business is
// none of them, though a place may have the same.
func (t *turn) heardFor(tool Tool, said string) map[string]any {
	return tool.hear(t.listenFor(said), "")
}

// listenFor listens to a text without the name of the business.
func (t *turn) listenFor(said string) *listening {
	return t.listen(withoutTitle(said, t.Settings.Title))
}

// asking takes a question apart, once in a turn.
func (t *turn) asking(said string) *asking {
	if t.apart[said] == nil {
		t.apart[said] = ask(t.Finder.Index.Analyzer(), said)
	}
	return t.apart[said]
}

// listen reads a text, once for all tools that it is held against.
func (t *turn) listen(said string) *listening {
	if t.listened == nil || t.listened.said != said {
		t.listened = listen(said, t.Now, t.Settings.Speech())
	}
	return t.listened
}

// withoutTitle blanks a title of several words where it stands in a text.
func withoutTitle(said, title string) string {
	wanted := text.Words(title)
	if len(wanted) < 2 {
		return said
	}
	words := text.Words(said)
	for i := 0; i+len(wanted) <= len(words); i++ {
		if slices.EqualFunc(words[i:i+len(wanted)], wanted, func(a, b text.Word) bool { return a.Folded == b.Folded }) {
			start, end := words[i].Start, words[i+len(wanted)-1].End
			said = said[:start] + strings.Repeat(" ", end-start) + said[end:]
		}
	}
	return said
}

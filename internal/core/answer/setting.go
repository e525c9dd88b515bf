package answer

import (
	"context"
	"regexp"
	"slices"
	"strings"

	"urgentparrot.example/internal/core/text"
)

// People say where they are when they ask: "can dogs come on the ferry?", "is breakfast
// included at the hotel?". To the business that is nothing new, and its texts do not say it;
// so a question that ends so is read without it too.
var (
	setting = regexp.MustCompile(`(?i)[\s,]+(?:on|in|at|aboard|onto|inside|into|to|with)\s+(?:the|your|our|this|one of the|one of your)\s+([\p{L}'’-]+)\s*[?.!]*$`)
	hereby  = regexp.MustCompile(`(?i)[\s,]+(?:here|aboard|on ?board|at yours|at your place|with you(?: guys| lot)?)\s*[?.!]*$`)
)

const setOff = " \t,"

// everywhere is the share of all passages that speak of what a business is about.
const everywhere = 0.25

// withoutSetting returns a question without the place at its end that is the business itself:
// one that its title names, or that its texts speak of everywhere; "" if it names none.
func (f Finder) withoutSetting(asked string) string {
	at := hereby.FindStringIndex(asked)
	if at == nil {
		m := setting.FindStringSubmatchIndex(asked)
		if m == nil || !f.isSetting(asked[m[2]:m[3]]) {
			return ""
		}
		at = m[:2]
	}
	rest, ending := strings.TrimSpace(asked[:at[0]]), strings.TrimLeft(asked[at[0]:], setOff)
	if len(text.Words(rest)) < 2 {
		return "" // "what is here?"
	}
	return rest + ending[len(strings.TrimRight(ending, " ?.!")):]
}

func (f Finder) isSetting(noun string) bool {
	if folded := text.Fold(noun); text.IsTime(folded) || text.IsPartOfDay(folded) {
		return false // "in the evening"
	}
	analyzer := f.Index.Analyzer()
	for _, t := range analyzer.Terms(noun) {
		named := slices.ContainsFunc(analyzer.Terms(f.Title), func(o text.Term) bool { return o.Stem == t.Stem })
		if named || f.Index.Share(t.Stem) >= everywhere {
			return true
		}
	}
	return false
}

// before are the words by which the way to something that has a name is added to a question. What
// is asked on, in or at it is another matter: the soup on the boat is none on the island.
var before = []string{"to", "from", "for", "via", "towards", "onto", "into"}

// measures are words that ask how much of something, and not of what.
var measures = []string{"long", "much", "many", "far", "often", "time", "times", "soon", "early", "late", "fast", "quick", "cost", "costs", "price", "prices", "fare", "take", "takes", "get", "go", "goes", "leave", "leaves"}

// withoutName returns a question without what it names on the way, such as "to Gannet Holm",
// where that is one of the names that the knowledge uses; "" if there is none. What holds for
// all islands is not said of each.
func (f Finder) withoutName(asked string) string {
	words := text.Words(asked)
	isName := func(n int) bool { return n >= 0 && n < len(words) && f.Index.IsName(words[n].Folded) }
	for last := len(words) - 1; last > 0; last-- {
		if !isName(last) || isName(last+1) {
			continue
		}
		first := last
		for isName(first - 1) {
			first--
		}
		if first > 0 && words[first-1].Folded == "the" {
			first--
		}
		if first < 3 || !slices.Contains(before, words[first-1].Folded) {
			continue
		}
		rest := strings.TrimRight(asked[:words[first-1].Start], setOff)
		telling := f.Index.Analyzer().Telling(rest)
		if !slices.ContainsFunc(telling, func(t text.Term) bool { return !slices.Contains(measures, t.Word) }) {
			continue // "how long to Gannet Holm?"
		}
		return rest + asked[words[last].End:]
	}
	return ""
}

// namesOthers reports whether what a candidate says is said of something that has a name, and
// that a question does not name: then it need not hold for what the question names.
func (f Finder) namesOthers(c *Candidate, asked string) bool {
	named := map[string]bool{}
	for _, said := range []string{asked, f.Title} {
		for _, w := range text.Words(said) {
			named[w.Folded] = true
		}
	}
	for _, said := range append(slices.Clone(c.Trail), c.Quoted()) {
		for w := range text.EachWord(said) {
			if text.IsNamed(said, w) && f.Index.IsName(w.Folded) && !named[w.Folded] {
				return true
			}
		}
	}
	return false
}

// saidOf reports whether what answers a question best, and may well answer it, speaks of what it
// names and a shorter one does not: then that is what is asked about.
func (f Finder) saidOf(best Candidate, asked, shorter string) bool {
	if best.Sure < 0.5 {
		return false
	}
	kept, said := text.Words(shorter), text.Words(best.Quoted())
	return slices.ContainsFunc(text.Words(asked), func(w text.Word) bool {
		has := func(words []text.Word) bool {
			return slices.ContainsFunc(words, func(o text.Word) bool { return o.Folded == w.Folded })
		}
		return f.Index.IsName(w.Folded) && !has(kept) && has(said)
	})
}

// bare looks for a question without the place at its end, where it names one: what it finds
// holds if the same passage is among what the whole question found, and it is surer of it.
func (f Finder) bare(ctx context.Context, asked string, found Found) Found {
	rest, named := asked, false
	for range 3 {
		if shorter := f.withoutSetting(rest); shorter != "" {
			rest = shorter
		} else if shorter := f.withoutName(rest); shorter != "" {
			rest, named = shorter, true
		}
	}
	if rest == asked {
		return found
	}
	q := f.understand(rest)
	without, _ := f.look(ctx, q, Found{Mended: q.mended, Meant: q.mended}, "")
	if len(without.Candidates) == 0 || without.sureness() <= found.sureness() {
		return found
	}
	first := without.Candidates[0].ID
	if named && (f.namesOthers(&without.Candidates[0], asked) || len(found.Candidates) > 0 && f.saidOf(found.Candidates[0], asked, rest)) {
		return found
	}
	if !slices.ContainsFunc(found.Candidates, func(c Candidate) bool { return c.ID == first }) {
		return found
	}
	without.Bare, without.Mended, without.Meant = without.Meant, found.Mended, found.Meant
	return without
}

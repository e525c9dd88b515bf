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
	analyzer := f.Index.Analyzer()
	for _, t := range analyzer.Terms(noun) {
		named := slices.ContainsFunc(analyzer.Terms(f.Title), func(o text.Term) bool { return o.Stem == t.Stem })
		if named || f.Index.Share(t.Stem) >= everywhere {
			return true
		}
	}
	return false
}

// bare looks for a question without the place at its end, where it names one: what it finds
// holds if the same passage is among what the whole question found, and it is surer of it.
func (f Finder) bare(ctx context.Context, asked string, found Found) Found {
	rest := f.withoutSetting(asked)
	if rest == "" {
		return found
	}
	q := understand(f.Index, rest)
	without, _ := f.look(ctx, q, Found{Mended: q.mended, Meant: q.mended}, "")
	if len(without.Candidates) == 0 || without.sureness() <= found.sureness() {
		return found
	}
	first := without.Candidates[0].ID
	if !slices.ContainsFunc(found.Candidates, func(c Candidate) bool { return c.ID == first }) {
		return found
	}
	without.Mended, without.Meant = found.Mended, found.Meant
	return without
}

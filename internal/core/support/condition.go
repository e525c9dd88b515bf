package support

import (
	"regexp"
	"slices"
	"strings"

	"urgentparrot.example/internal/core/text"
)

// hedged are words that say that something does not hold of all, or not always.
var hedged = text.Set("nearly almost most mostly some usually normally generally often sometimes typically")

// hedge returns a word by which the nearest sentence says that something does not hold of
// all, or not always, where a sentence has none.
func (c Checker) hedge(says statement, h holding) string {
	for _, w := range text.Words(says.words) {
		if hedged[w.Folded] {
			return ""
		}
	}
	if len(h.nearest) > 0 {
		before := ""
		for _, w := range text.Words(h.nearest[0].words) {
			atMost := before == "at"
			before = w.Folded
			if hedged[w.Folded] && !atMost {
				return w.Folded
			}
		}
	}
	return ""
}

// lost returns a condition of the passage that neither the sentence nor the rest of the
// reply tells, "" if there is none.
func (c Checker) lost(h holding, reply string) string {
	told := map[string]bool{}
	for _, t := range c.Analyzer.Terms(reply) {
		told[t.Stem] = true
	}
	for _, near := range h.nearest {
		if near.shared < h.nearest[0].shared {
			break
		}
		list := conditions(near.words)
		if near.after != "" {
			list = append(list, near.after)
		}
		for _, condition := range list {
			if !c.tells(told, reply, condition, near.words) {
				return condition
			}
		}
	}
	return ""
}

// supposes begins a condition that may be said in many words, and supposed is how.
var (
	supposes = regexp.MustCompile(`(?i)^(?:if|provided|as long as|so long as)\b`)
	supposed = regexp.MustCompile(`(?i)\b(?:if|when|should|in case|provided|as long as|so long as|where|once|without|who)\b`)
)

// tells reports whether a reply holds a condition: enough of its telling words.
func (c Checker) tells(told map[string]bool, reply, condition, whole string) bool {
	var all, held float64
	for _, t := range c.Analyzer.Telling(condition) {
		w := 1.0
		if t.Light {
			w = 0.3
		}
		all += w
		if told[t.Stem] || slices.ContainsFunc(c.Analyzer.Synonyms(t.Stem), func(a string) bool { return told[a] }) {
			held += w
		}
	}
	theirs := quantitiesOf(reply)
	for _, q := range quantitiesOf(condition) {
		if !slices.ContainsFunc(theirs, q.same) {
			return false
		}
	}
	if supposes.MatchString(condition) && len(supposed.FindAllString(reply, -1)) >= len(supposed.FindAllString(whole, -1)) {
		return true // in other words
	}
	return all == 0 || held >= all/2
}

// Markers of what holds only under a condition, and of what does not hold.
var conditioned = regexp.MustCompile(`(?i)\b(?:except(?:ing| for| on)?|unless|provided(?: that)?|as long as|so long as|subject to|only (?:if|when|on|for|with|in|at|from|until|after|before|by)|only|but not|not (?:on|in|at|for|during)|excluding|apart from|other than|if|when booked|until|up to|at least|at most|no later than|(?:from|after|before|within) [£$€]?\d+|auf(?:ß|ss)er|sauf|excepté|salvo|excepto|tranne|behalve|nur wenn|solange|seulement si)\b`)

// follows begins a sentence that takes back some of the one before it.
var takesBack = regexp.MustCompile(`(?i)^\W*(?:however|but|except|only|this (?:does|is) not|that (?:does|is) not|these (?:do|are) not|exceptions?\b|not (?:on|in|at|for)|unless|please note that|note that)`)

var ranged = regexp.MustCompile(`(?i)\b(?:from|between) .{1,30}\b(?:to|until|till|and)\b`)

// conditions returns what a sentence says only holds under a condition, each from its
// marker to the end of its clause.
func conditions(sentence string) (list []string) {
	ats := conditioned.FindAllStringIndex(sentence, -1)
	for i, at := range ats {
		end := len(sentence)
		if i+1 < len(ats) {
			end = ats[i+1][0]
		}
		c := sentence[at[0]:end]
		if cut := strings.IndexAny(c, ";.("); cut > at[1]-at[0] && !(c[cut] == '.' && cut+1 < len(c) && isDigit(c[cut+1])) {
			c = c[:cut]
		}
		if (ats[i][1]-at[0] > 4 && isDigit(sentence[at[1]-1]) || strings.HasPrefix(strings.ToLower(c), "until")) && ranged.MatchString(sentence) {
			continue // a range
		}
		if len(text.Words(c)) > 1 {
			list = append(list, strings.TrimSpace(c))
		}
	}
	return list
}

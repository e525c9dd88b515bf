package answer

import (
	"regexp"
	"slices"
)

// Which of those that were found goes before the first by rank, for what is asked of it.

// What decides between two of which the checker is about as sure: that one holds so much more of
// the question's telling words, and among them the one for which it finds nothing in the other.
const (
	muchMore = 0.5
	asSure   = 0.05
)

// holdsMore puts a candidate that does so before the first. The checker is soon sure of a pair
// of question and answer, by how it asks: "can I take a surfboard?" is answered by what is said
// of surfboards, not by "Can I take my bicycle?". What holds for a time stays where it is.
func holdsMore(candidates []Candidate) {
	for i := 1; i < min(choices, len(candidates)); i++ {
		first, c := candidates[0], candidates[i]
		if sure := c.Sure >= 0.5 && (first.Question != "" || c.Sure >= first.Sure-asSure); sure && first.Lacks != "" && first.From.IsZero() && first.Until.IsZero() && c.Coverage >= first.Coverage+muchMore && !slices.Contains(c.Missing, first.Lacks) {
			toFront(candidates, i)
			return
		}
	}
}

// toFront puts a candidate before the first.
func toFront(candidates []Candidate, i int) {
	c := candidates[i]
	c.rank = candidates[0].rank
	copy(candidates[1:], candidates[:i])
	candidates[0] = c
}

// lessSure is how much less sure the checker may be of what stands below a heading that is all
// that is asked about.
const lessSure = 0.3

// headingAsked puts a candidate before the first whose heading holds the one thing that is asked
// about, where the first only mentions it: "how do I complain?" is answered below "Complaints",
// not by how complaints about neighbours are dealt with. Where a kind of fact is asked for, that
// decides.
func (w *weigher) headingAsked(candidates []Candidate) {
	if w.telling != 1 || w.q.fact != nil || w.around != nil || len(candidates) == 0 {
		return
	}
	first := candidates[0]
	if first.Question != "" || w.isHeading(first) || !first.From.IsZero() || !first.Until.IsZero() || isRow(first.Text, first.Quote) {
		return
	}
	for i := 1; i < min(choices, len(candidates)); i++ {
		if c := candidates[i]; w.isHeading(c) && c.Sure >= first.Sure-lessSure && c.Coverage >= first.Coverage {
			toFront(candidates, i)
			return
		}
	}
}

// headingNamed puts a candidate before the first whose heading is what the question names, where the
// first stands below the name of another: "when do you close in Fennock?" is answered below "Fennock",
// not below "Lower Hale", which mentions it.
func (w *weigher) headingNamed(candidates []Candidate) {
	if len(candidates) == 0 {
		return
	}
	first := candidates[0]
	for term, t := range w.q.terms {
		if t.Light || !w.isNamed(t) || first.heads[term] > 0 || first.Question != "" {
			continue
		}
		for i := 1; i < min(choices, len(candidates)); i++ {
			if c := candidates[i]; c.heads[term] >= wholly && c.Question == "" && c.Features.NoFact <= first.Features.NoFact && beside(c.Trail, first.Trail) {
				toFront(candidates, i)
				return
			}
		}
	}
}

// How a text tells a price without a sign of money, and how it speaks of paying.
var (
	aSum     = regexp.MustCompile(`\d[.,]\d\d\b`)
	ofPaying = regexp.MustCompile(`(?i)\b(?:pay|pays|paid|price[sd]?|costs?|charged?|charges|fees?|free|nothing|included?|deposit)\b`)
)

// saysLittle is how sure the checker must be at least of what tells a price.
const saysLittle = 0.1

// pricedFirst puts a candidate that tells a price before the first, where that is asked for and the
// first does not speak of paying, nor holds more of the question: "how much is a morning for a baby?"
// is not answered by "New children come for two short mornings".
func (w *weigher) pricedFirst(candidates []Candidate) {
	if w.q.fact != money || len(candidates) == 0 {
		return
	}
	first := candidates[0]
	if said := first.Quoted(); tellsPrice(said) || ofPaying.MatchString(said) {
		return
	}
	for i := 1; i < min(choices, len(candidates)); i++ {
		if c := candidates[i]; c.Sure >= saysLittle && c.Coverage > 0 && c.Coverage >= first.Coverage && tellsPrice(c.Quoted()) {
			toFront(candidates, i)
			return
		}
	}
}

func tellsPrice(said string) bool { return money.number.MatchString(said) || aSum.MatchString(said) }

// beside reports whether two sections stand beside each other in one.
func beside(a, b []string) bool {
	n := len(a)
	return n > 0 && n == len(b) && a[n-1] != b[n-1] && slices.Equal(a[:n-1], b[:n-1])
}

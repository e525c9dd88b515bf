package answer

import (
	"math"
	"slices"

	"urgentparrot.example/internal/core/text"
)

// trust says how sure it is of each of the candidates, which are in order, and returns
// how likely the right one is among the first three.
func (w *wording) trust(candidates []Candidate, weights *Weights) (likely float64) {
	says := make([][]text.Term, len(candidates))
	for i := range candidates {
		says[i] = candidates[i].telling(w.analyzer)
	}
	// To be the best of few says little: every place that stays empty counts as a
	// passage that has nothing to do with the question.
	stranger := 0.0
	if w.aim.Known() {
		stranger = weights.Rank.dot(strange)
	}
	if len(candidates) > 0 {
		candidates[0].Features.Votes = votes(candidates)
	}
	for i := range candidates {
		c := &candidates[i]
		others := float64(kept-len(candidates)) * math.Exp(min(stranger-c.rank, 30))
		next := min(stranger, c.rank)
		f := &c.Features
		f.Rivals = 0
		var covered, sure, aroundSure []float64 // of others
		for j, other := range candidates {
			if j != i && (i >= bearing || !w.agree(says[i], says[j])) {
				others += math.Exp(min(other.rank-c.rank, 30))
				f.Rivals += other.Sure
				covered, sure, aroundSure = append(covered, other.Features.Coverage), append(sure, other.Features.Sure), append(aroundSure, other.Features.AroundSure)
				if j > i {
					next = max(next, other.rank)
				}
			}
		}
		f.MoreCovered, f.Surer, f.AroundSurer = f.Coverage-most(covered, 0), f.Sure-most(sure, strange.Sure), f.AroundSure-most(aroundSure, strange.AroundSure)
		c.echoes = i > 0 && w.agree(says[0], says[i])
		c.Features.Best, c.Features.Ahead = 1/(1+others), min(c.rank-next, farAhead)
		if i < choices {
			c.Features.Three = three(candidates[i:], stranger)
		}
		c.Confidence = w.calibration.Of(weights.confidence(&c.Features, c.Question != ""))
		if c.Meaning == 0 && c.Coverage < sharesWords || w.q.fact != nil && w.q.fact.must && c.Features.NoFact > 0 {
			c.Confidence = min(c.Confidence, byChance)
		}
		if w.q.bare && !isRow(c.Text, c.Quote) && w.share(c.heads) == 0 {
			c.Confidence = min(c.Confidence, doubted) // of what?
		}
		if c.repliesTo(c.Text[c.Quote.Start:c.Quote.End]) != "" && w.share(c.heads) < sharesQuestion {
			c.Confidence = min(c.Confidence, doubted) // "Yes" to another question
		}
		if w.q.extreme != 0 && !c.tellsPrices() {
			c.Confidence = min(c.Confidence, doubted) // of which?
		}
		if isRow(c.Text, c.Quote) {
			if f.Lacking > 0 || !w.holdsQuoted(c) {
				c.Confidence *= otherRow
			} else if f.Fact == 1 && f.Together >= wholly && len(w.named([]string{rowOf(c.Text, c.Quote).name})) > 0 {
				c.Confidence = max(c.Confidence, namedRow*f.Best)
			}
		}
		if i == 0 && w.tellsDay(c) && !slices.ContainsFunc(candidates[1:], func(o Candidate) bool { return o.Features.Lacking == 0 }) {
			c.Confidence = max(c.Confidence, namedDay)
		}
		if i > 0 {
			c.Confidence = min(c.Confidence, candidates[i-1].Confidence)
		}
	}
	if len(candidates) == 0 {
		return 0
	}
	if w.q.fact != nil && w.q.fact.must && candidates[0].Features.NoFact > 0 {
		return byChance
	}
	return max(weights.Likely.of(&candidates[0].Features), candidates[0].Confidence)
}

// most is the largest of some numbers, and no less than least.
func most(numbers []float64, least float64) float64 {
	return slices.Max(append(numbers, least))
}

// votes is the share of the ways to weigh passages by which the first is the best.
func votes(candidates []Candidate) float64 {
	ways := func(f *Features) [11]float64 {
		return [...]float64{f.Words, f.Meaning, f.Match, f.Sure, f.Customers, f.Together, f.AroundWords, f.AroundMeaning, f.AroundMatch, f.AroundSure, f.AroundCustomers}
	}
	first := ways(&candidates[0].Features)
	n := len(first)
	for way, v := range first {
		for _, c := range candidates[1:] {
			if ways(&c.Features)[way] > v {
				n--
				break
			}
		}
	}
	return float64(n) / float64(len(first))
}

// sharesQuestion is how much of what is asked a heading must hold to which a passage says yes or no.
const sharesQuestion = 0.3

// otherRow is what the confidence in a row of a table is multiplied by that lacks a telling
// word: rows are alike, and one says nothing of another.
const otherRow = 0.6

// namedRow is how far one is trusted at least, if it is the best for certain, that holds all
// telling words of the question, with the headings above, and the kind of fact that was asked
// for: "how much is a van?" It is made of names and numbers, of which the checker knows little.
const namedRow = 0.9

// tellsDay reports whether what a candidate says is one line for the day of the week that is asked
// about, with the kind of fact that is asked for, and it lacks nothing: "what time do you close on
// Saturday?", and "Sat 10.00-16.00".
func (w *weigher) tellsDay(c *Candidate) bool {
	if len(w.q.days) == 0 || c.Features.Fact == 0 || c.Features.Lacking > 0 || !isItem(c.Text[c.Quote.Start:c.Quote.End]) {
		return false
	}
	return slices.ContainsFunc(c.sentences, func(s sentence) bool {
		return s.Span == c.Quote && slices.ContainsFunc(w.q.days, func(d day) bool { return s.held[d.term] >= wholly })
	})
}

// namedDay is how far a line for the day that is asked about is trusted at least, if nothing else that
// was found has all that the question has.
const namedDay = 0.75

// farAhead bounds how far one is ahead.
const farAhead = 10

// three is the chance, by the ranks, that one of the first three is the best.
func three(candidates []Candidate, stranger float64) float64 {
	first := candidates[0].rank
	all, sum := float64(max(kept-len(candidates), 0))*math.Exp(min(stranger-first, 30)), 0.0
	for i, c := range candidates {
		weight := math.Exp(min(c.rank-first, 30))
		if all += weight; i < choices {
			sum += weight
		}
	}
	return sum / all
}

// strange are the features of a passage of other matters.
var strange = Features{Meaning: unrelated, Whole: unrelated, AroundMeaning: unrelated, Match: unrelated, AroundMatch: unrelated, Sure: -3, AroundSure: -3}

// agreement is the share of the telling words of the shorter of two quotes from
// which on both are taken to say the same.
const agreement = 0.5

// agree reports whether two candidates' quotes, by their telling words, say the same: then
// they bear each other out rather than cast doubt on each other.
func (w *weigher) agree(these, those []text.Term) bool {
	if len(these) > len(those) {
		these, those = those, these
	}
	shared, all := 0.0, 0.0
	for _, t := range these {
		weight := w.ix.Weight(t)
		all += weight
		if slices.ContainsFunc(those, func(o text.Term) bool { return o.Stem == t.Stem }) {
			shared += weight
		}
	}
	return all > 0 && shared >= agreement*all
}

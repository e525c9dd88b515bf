package answer

import (
	"regexp"
	"slices"
	"strings"

	"urgentparrot.example/internal/core/text"
)

// What is said of a passage where its sentences alone do not tell: the item of a list that answers, the
// sentence that names what was asked about, says that something is allowed, or where it is, and the
// heading that says what a price is for.

// labelledItem is an item of a list that says by itself what it is about: "- Wifi: free in the hall".
var labelledItem = regexp.MustCompile(`^- ([^.:;?!]{2,40}?)(?:: | [-–—] )\S`)

// onlyItem reports whether the item of a list at i answers by itself: it alone holds what was asked
// about, and it says what it is about, or holds the kind of fact that was asked for ("Child £4").
func (w *weigher) onlyItem(c *Candidate, i int) bool {
	s := c.sentences[i]
	said := c.Text[s.Start:s.End]
	if !isItem(said) || s.own == 0 || !labelledItem.MatchString(said) && (w.q.fact == nil || !w.q.fact.in(said)) {
		return false
	}
	for k, t := range w.q.terms {
		if !t.Light && max(s.held[k], c.heads[k]) < worthOfAlike {
			return false
		}
	}
	for j, other := range c.sentences {
		if j != i && other.own > 0 && isItem(c.Text[other.Start:other.End]) {
			return false
		}
	}
	return true
}

// itemAhead returns the item of the list at i that alone holds the day of the week, or the range in
// which a number lies ("Large dog (over 25 kg)" for one of 30 kilos), or something exact that was asked
// for, as a telephone number is; or that holds all that any other holds, and several things that were
// asked about, or one, and says what it is about ("Mondays: yoga, 7 pm"); -1 if there is none.
func (w *weigher) itemAhead(c *Candidate, i int) int {
	says := func(i int) string { return c.Text[c.sentences[i].Start:c.sentences[i].End] }
	short := func(i int) bool { return isItem(says(i)) && !isWhole(says(i)) && !aStep.MatchString(says(i)) }
	from, to := i, i+1
	for from > 0 && short(from-1) {
		from--
	}
	for to < len(c.sentences) && short(to) {
		to++
	}
	if !short(i) || to-from < 2 {
		return -1
	}
	if w.q.fact != nil && w.q.fact.must {
		only := -1
		for k := from; k < to; k++ {
			if w.q.fact.in(says(k)) {
				if only >= 0 {
					return -1
				}
				only = k
			}
		}
		return only
	}
	if k := w.onlyInRange(c, from, to); k >= 0 && (w.q.fact == nil || w.q.fact.in(says(k))) {
		return k
	}
	beyond := func(k int) (sum float64) { // what it holds that the headings do not
		for t, term := range w.q.terms {
			if c.heads[t] < worthOfAlike {
				sum += term.weight * c.sentences[k].held[t]
			}
		}
		return sum
	}
	best := from
	for k := from; k < to; k++ {
		if beyond(k) > beyond(best) {
			best = k
		}
	}
	ahead := c.sentences[best]
	if w.q.fact != nil && !w.q.fact.in(says(best)) {
		return -1
	}
	for k := from; k < to; k++ {
		if k == best {
			continue
		}
		if beyond(k) >= beyond(best) {
			return -1
		}
		for t, held := range c.sentences[k].held {
			if c.heads[t] < worthOfAlike && held > ahead.held[t] {
				return -1
			}
		}
	}
	holds, itself := 0, false
	for t, term := range w.q.terms {
		if !term.Light && ahead.held[t] >= worthOfAlike {
			holds++
			itself = itself || ahead.held[t] >= wholly && c.heads[t] < worthOfAlike
		}
	}
	if holds < 2 && !(itself && labelledItem.MatchString(says(best))) {
		return -1
	}
	return best
}

// pricesOf returns those items of the price list at i that hold the most of what is asked about: of
// "Screen, phone", "Battery, phone" and "Screen, tablet" the first and the last for a broken screen;
// none if they all do, or none does.
func (w *weigher) pricesOf(c *Candidate, i int) (items []int) {
	if w.q.fact != nil && w.q.fact != money {
		return nil
	}
	from, to := c.pricesAround(i)
	best := 0.0
	for k := from; k < to; k++ {
		holds, itself := 0.0, false // by another word alone none is picked: "toddlers" are not all "children"
		for t, term := range w.q.terms {
			holds += term.weight * c.sentences[k].held[t]
			itself = itself || !term.Light && c.sentences[k].held[t] >= wholly
		}
		if !itself {
			continue
		}
		if holds > best {
			best, items = holds, nil
		}
		if holds > 0 && holds == best {
			items = append(items, k)
		}
	}
	if len(items) == to-from || len(items) > mostRows {
		return nil
	}
	return items
}

// pricesAround returns from where to where the items around i all name something and its price.
func (c *Candidate) pricesAround(i int) (from, to int) {
	isPrice := func(i int) bool {
		said := c.Text[c.sentences[i].Start:c.sentences[i].End]
		return isItem(said) && !ends(said) && money.in(said)
	}
	for from, to = i, i; from > 0 && isPrice(from-1); from-- {
		continue
	}
	for to < len(c.sentences) && isPrice(to) {
		to++
	}
	return from, to
}

// sayItems says some items of a list, and where they stand.
func (c *Candidate) sayItems(items []int) (whole text.Span, said string) {
	whole = text.Span{Start: c.sentences[items[0]].Start, End: c.sentences[items[len(items)-1]].End}
	if len(items) == 1 {
		return whole, ""
	}
	var lines []string
	for _, k := range items {
		lines = append(lines, c.Text[c.sentences[k].Start:c.sentences[k].End])
	}
	return whole, strings.Join(lines, "\n")
}

// onlyInRange returns the one of some sentences that holds the day of the week, or has the number in
// its range, that is asked about; -1 if none does, or several.
func (w *weigher) onlyInRange(c *Candidate, from, to int) int {
	only := -1
	for k := from; k < to; k++ {
		held := c.sentences[k].held
		if slices.ContainsFunc(w.q.days, func(d day) bool { return held[d.term] >= wholly }) || slices.ContainsFunc(w.q.counted, func(a amount) bool { return held[a.term] >= wholly }) {
			if only >= 0 {
				return -1
			}
			only = k
		}
	}
	return only
}

// exactly leaves out the sentences around something exact that was asked for, as a telephone
// number is.
func (w *weigher) exactly(says func(i int) string, first, last int) (int, int) {
	if w.q.fact == nil || !w.q.fact.must {
		return first, last
	}
	from, to := first, last
	for from <= to && !w.q.fact.in(says(from)) {
		from++
	}
	for from < to && !w.q.fact.in(says(to)) {
		to--
	}
	if from > to {
		return first, last // none holds it
	}
	return from, to
}

// thatNames returns the sentence that holds, with the headings above, all that was asked about, in
// place of one that lacks what the question names ("are you open on Saturdays?"), or lacks what it
// brings up in a word that the knowledge has only others for ("do you ship to France?"), or lacks the
// one thing that it asks about and is not likely to answer ("can I get a massage?").
func (w *weigher) thatNames(c *Candidate, first int, scores []float64) int {
	least := 0.0
	unsure := w.telling == 1 && c.sentences[first].own == 0 && c.sentences[first].judged && c.sentences[first].sure < 0
	for i, t := range w.q.terms {
		if t.Light || c.heads[i] > 0 || c.sentences[first].held[i] > otherDay {
			continue
		}
		switch {
		case w.isNamed(t), unsure:
			least = wholly
		case !w.ix.Knows(t.Stem):
			least = max(least, worthOfAlike)
		}
	}
	if least == 0 {
		return first
	}
	best := first
	for i, s := range c.sentences {
		if !isRow(c.Text, s.Span) && w.holdsEach(c, &c.sentences[i], least) && (best == first || scores[i] > scores[best]) {
			best = i
		}
	}
	return best
}

// holdsEach reports whether a sentence, with the headings above, holds each telling term so well.
func (w *weigher) holdsEach(c *Candidate, s *sentence, least float64) bool {
	for i, t := range w.q.terms {
		if !t.Light && max(c.heads[i], s.held[i]) < least {
			return false
		}
	}
	return true
}

// holdsQuoted reports whether the quote, with what stands above it, holds each telling term, and not
// only something below it.
func (w *weigher) holdsQuoted(c *Candidate) bool {
	for i, t := range w.q.terms {
		if t.Light || c.heads[i] >= worthOfAlike {
			continue
		}
		if !slices.ContainsFunc(c.sentences, func(s sentence) bool {
			return s.End <= c.Quote.End && s.held[i] > 0
		}) && slices.ContainsFunc(c.sentences, func(s sentence) bool { return s.held[i] > 0 }) {
			return false
		}
	}
	return true
}

// belowHeading returns the first sentence that holds the kind of fact that is asked for of the one
// thing that the heading names, and no sentence: "when can I check in?", below "Checking in".
func (w *weigher) belowHeading(c *Candidate, first int) int {
	if w.telling != 1 || w.q.fact == nil {
		return first
	}
	for i, t := range w.q.terms {
		if !t.Light && (c.heads[i] < worthOfAlike || slices.ContainsFunc(c.sentences, func(s sentence) bool { return s.held[i] > 0 })) {
			return first
		}
	}
	for i, s := range c.sentences {
		if w.q.fact.in(c.Text[s.Start:s.End]) {
			return i
		}
	}
	return first
}

// shortLine is how many words a line has at most that speaks of one day and of nothing else.
const shortLine = 8

// ofAnyDay returns the sentence that tells the most, and holds as much with the headings, in place of
// one that speaks of one day of the year, and the question does not: "Open on Easter Monday."
func (w *weigher) ofAnyDay(c *Candidate, first int, scores []float64) int {
	ofOne := func(s sentence) bool {
		said := c.Text[s.Start:s.End]
		return len(strings.Fields(said)) <= shortLine && (text.IsOneDay(said) || len(text.Feasts(said)) > 0)
	}
	if len(w.q.feasts) > 0 || text.IsOneDay(w.q.mended) || !ofOne(c.sentences[first]) {
		return first
	}
	best := first
	for i, s := range c.sentences {
		if !ofOne(s) && s.together >= c.sentences[first].together && (best == first || scores[i] > scores[best]) {
			best = i
		}
	}
	return best
}

// isNamed reports whether the knowledge writes a term as a name.
func (w *weigher) isNamed(t term) bool { return w.ix.IsName(t.Word) || w.ix.IsName(t.Stem) }

// How it is asked whether something is allowed, and how a sentence says whether it is.
var (
	asksLeave = regexp.MustCompile(`(?i)^(?:(?:hi|hello|so|and|also)\W+)*(?:can|may|could) (?:i|we|my|our|you)\b|\b(?:allowed|permitted|all right|alright|ok|okay|possible) (?:to|if|for)\b|\b(?:allow|permit|accept)\b`)
	saysLeave = regexp.MustCompile(`(?i)\b(?:can|cannot|can't|may|allow(?:ed|s)?|permit(?:ted|s)?|permission|accept(?:ed|s)?|welcome|forbidden|prohibited|free to|no)\b`)
)

// holdsAll reports whether a sentence holds each term of the question that another holds.
func holdsAll(s, other *sentence) bool {
	for i, held := range other.held {
		if held > s.held[i] {
			return false
		}
	}
	return true
}

// thatAllows returns the sentence that says whether something is allowed, where that is asked, in
// place of one that only says how it must be: "You may keep one small dog", not "Dogs must be on
// a lead".
func (w *weigher) thatAllows(c *Candidate, first int, scores []float64) int {
	if !w.q.leave {
		return first
	}
	return c.thatSays(first, scores, saysLeave.MatchString)
}

// thatSays returns the sentence that says something in a certain way, in place of the first if that
// does not. It holds as much of what was asked about, and tells nearly as much.
func (c *Candidate) thatSays(first int, scores []float64, so func(said string) bool) int {
	says := func(i int) string { return c.Text[c.sentences[i].Start:c.sentences[i].End] }
	if so(says(first)) {
		return first
	}
	best := first
	for i := range c.sentences {
		if scores[i] >= scores[first]-2*belongs && holdsAll(&c.sentences[i], &c.sentences[first]) && so(says(i)) && (best == first || scores[i] > scores[best]) {
			best = i
		}
	}
	return best
}

// asksWhere is how it is asked where something is, or may be, and denies how a sentence says that
// it is nowhere, or may not be.
var (
	asksWhere = regexp.MustCompile(`(?i)\b(?:where|anywhere|somewhere)\b`)
	denies    = regexp.MustCompile(`(?i)\b(?:no|not|never|nowhere|cannot|can't|none)\b`)
)

// thatPlaces returns the sentence that says where something is, where it is asked for a place and the
// first only says where none is: "The nearest car park is ...", not "There is no parking here".
func (w *weigher) thatPlaces(c *Candidate, first int, scores []float64) int {
	if !w.q.where {
		return first
	}
	return c.thatSays(first, scores, func(said string) bool { return !denies.MatchString(said) })
}

// asksWhat is how it is asked what something is, or holds.
var asksWhat = regexp.MustCompile(`(?i)^(?:(?:hi|hello|so|and)\W+)*what(?:['’]?s| is| are| does| do)\b|\binclude[sd]?\b|\bmeans?\b`)

// labelled returns the item that says what something is, where that is asked: "what is a silver
// service?" is answered by "- Silver: ...", below "What's in a service?".
func (w *weigher) labelled(c *Candidate, first int) int {
	if w.q.fact != nil || !w.q.what {
		return first
	}
	for i, s := range c.sentences {
		said := c.Text[s.Start:s.End]
		label := labelledItem.FindStringSubmatch(said)
		if label == nil {
			continue
		}
		held := w.held(label[1])
		names, all := false, true
		for k, t := range w.q.terms {
			if !t.Light {
				names, all = names || held[k] >= wholly && c.heads[k] < wholly, all && max(held[k], c.heads[k]) >= worthOfAlike
			}
		}
		if names && all {
			return i
		}
	}
	return first
}

// withNamed takes the sentence beside a quote into it that speaks of something which the question
// names and the quote does not: "is the Little Tern all right for a wheelchair?"
func (w *weigher) withNamed(c *Candidate, first, last int, fits func(first, last int) bool) (int, int) {
	sentences := c.sentences
	for i, t := range w.q.terms {
		if t.Light || c.heads[i] >= wholly || !w.isNamed(t) || slices.ContainsFunc(sentences[first:last+1], func(s sentence) bool { return s.held[i] > 0 }) {
			continue
		}
		if first > 0 && sentences[first-1].held[i] >= wholly && fits(first-1, last) {
			first--
		} else if last+1 < len(sentences) && sentences[last+1].held[i] >= wholly && fits(first, last+1) {
			last++
		}
	}
	return first, last
}

// per is how a heading says what the prices below it are for.
var per = regexp.MustCompile(`(?i)\bper\s+\p{L}+|\b(?:an?|each|every)\s+(?:hour|day|night|week|month|term|year|person|head|visit|lesson|class|session|mile|metre|ticket)\b|\b(?:hourly|daily|nightly|weekly|monthly|yearly|annual)\b`)

// sayPer says the heading with a row or an item that tells a price, where only the heading says what
// that is for: "Rates per night".
func (w *weigher) sayPer(c *Candidate) {
	if w.q.fact != money || len(c.Trail) == 0 {
		return
	}
	quoted, heading := c.Text[c.Quote.Start:c.Quote.End], c.Trail[len(c.Trail)-1]
	first, _, _ := strings.Cut(quoted, "\n")
	if !isItem(first) && !isRow(c.Text, text.Span{Start: c.Quote.Start, End: c.Quote.Start + len(first)}) {
		return
	}
	said := c.said
	if said == "" {
		said = c.Quoted()
	}
	if per.MatchString(heading) && !per.MatchString(said) {
		c.said = strings.TrimSuffix(text.Unnumbered(heading), ":") + ":\n" + said
	}
}

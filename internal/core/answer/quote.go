package answer

import (
	"regexp"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"urgentparrot.example/internal/core/knowledge"
	"urgentparrot.example/internal/core/text"
)

// How long a quoted answer may grow: in runes, about, and in sentences.
const (
	quoteRunes     = 420
	quoteSentences = 3
)

// quote picks the neighbouring sentences that answer, and notes whether they hold the
// kind of fact that was asked for.
func (w *weigher) quote(c *Candidate, weights *Tells) {
	c.Quote, c.said = w.sentencesThatAnswer(c, weights)
	if c.Question != "" {
		c.Quote, c.said = text.Span{Start: 0, End: len(c.Text)}, ""
	}
	w.sayPer(c)
	if w.q.fact != nil {
		if w.q.fact.in(c.Text[c.Quote.Start:c.Quote.End]) {
			c.Features.Fact = 1
		} else {
			c.Features.NoFact = 1
		}
	}
}

// per is how a heading says what the prices below it are for.
var per = regexp.MustCompile(`(?i)\bper\s+\p{L}+|\b(?:an?|each|every)\s+(?:hour|day|night|week|month|term|year|person|head|visit|lesson|class|session|mile|metre|ticket)\b|\b(?:hourly|daily|nightly|weekly|monthly|yearly|annual)\b`)

// sayPer says the heading with a row or an item that tells a price, where only the heading says what
// that is for: "Rates per night".
func (w *weigher) sayPer(c *Candidate) {
	if w.q.fact == nil || w.q.fact.called == "" || len(c.Trail) == 0 {
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

// Tells are what is looked at to tell which sentence of a passage answers, or a weight for
// each.
type Tells struct {
	Together    float64 `json:"together,omitempty"`  // share of the question's terms that it holds with the headings above
	Own         float64 `json:"own,omitempty"`       // share that it holds by itself
	Like        float64 `json:"like,omitempty"`      // its likeness to the question, -1 to 1
	Match       float64 `json:"match,omitempty"`     // of its tokens with those of the question, -1 to 1
	Sure        float64 `json:"sure,omitempty"`      // what the checker makes of it, a logit; 0 if it was not judged
	Judged      float64 `json:"judged,omitempty"`    // 1 if it was
	Headed      float64 `json:"headed,omitempty"`    // share that the headings hold, over its place: the answer begins below them
	Fact        float64 `json:"fact,omitempty"`      // 1 if it holds the kind of fact that was asked for
	Early       float64 `json:"early,omitempty"`     // 1 over its place
	Gist        float64 `json:"gist,omitempty"`      // the same where the heading holds all that tells: who asks for "parking" asks for the gist
	Leans       float64 `json:"leans,omitempty"`     // 1 if it leans on the one before it
	Customers   float64 `json:"customers,omitempty"` // how likely customers use the question's words for it
	AroundLike  float64 `json:"around_like,omitempty"`
	AroundMatch float64 `json:"around_match,omitempty"` // the same for the message around the question
}

// Values returns them in a fixed order.
func (t *Tells) Values() [14]float64 {
	return [...]float64{t.Together, t.Own, t.Like, t.Match, t.Sure, t.Judged, t.Headed, t.Fact, t.Early, t.Gist, t.Leans, t.Customers, t.AroundLike, t.AroundMatch}
}

func (t *Tells) dot(o *Tells) (sum float64) {
	a, b := t.Values(), o.Values()
	for i, v := range a {
		sum += v * b[i]
	}
	return sum
}

func (w *weigher) tells(c *Candidate) []Tells {
	tells := make([]Tells, len(c.sentences))
	headed, gist := w.share(c.heads), w.q.fact == nil && w.telling > 0
	for i, t := range w.q.terms {
		gist = gist && (t.Light || c.heads[i] >= wholly)
	}
	for i, s := range c.sentences {
		t := &tells[i]
		*t = Tells{Together: s.together, Own: s.own, Like: s.like, Match: s.match, Customers: s.customers, AroundLike: s.likeAround, AroundMatch: s.around}
		t.Early = 1 / float64(1+i)
		t.Headed = headed * t.Early
		if gist {
			t.Gist = t.Early
		}
		if s.judged {
			t.Judged, t.Sure = 1, s.sure
		}
		said := c.Text[s.Start:s.End]
		if w.q.fact != nil && w.q.fact.in(said) {
			t.Fact = 1
		}
		if leansBack(said) {
			t.Leans = 1
		}
	}
	return tells
}

// belongs is how much less a neighbour of the best sentence may tell to belong to the
// answer too.
const belongs = 1.2

func (w *weigher) sentencesThatAnswer(c *Candidate, weights *Tells) (quote text.Span, said string) {
	sentences := c.sentences
	if len(sentences) == 0 {
		return quote, ""
	}
	says := func(i int) string { return c.Text[sentences[i].Start:sentences[i].End] }
	scores := make([]float64, len(sentences))
	tells := w.tells(c)
	for i := range tells {
		scores[i] = tells[i].dot(weights)
	}
	if w.watch != nil {
		w.watch(*c, tells)
	}
	first := 0
	for i, score := range scores {
		if score > scores[first]+1e-9 {
			first = i
		}
	}
	first = w.thatNames(c, first, scores)
	first = w.belowHeading(c, first)
	first = w.thatAllows(c, first, scores)
	first = w.thatPlaces(c, first, scores)
	first = w.labelled(c, first)
	gist := tells[0].Gist > 0 && !isRow(c.Text, sentences[first].Span)
	if gist && w.telling == 1 {
		first = 0 // one word that is the heading asks for what stands below it
	}
	first = w.ofExtremePrice(c, first)
	// answers reports whether a neighbour belongs to the answer too.
	best := scores[first]
	answers := func(i int) bool { return scores[i] >= best-belongs }
	last := first
	// together reports whether a sentence stands in one paragraph, or item, with the one before it.
	together := func(i int) bool {
		return !strings.Contains(c.Text[sentences[i-1].End:sentences[i].Start], "\n\n") && !isItem(says(i))
	}
	fits := func(first, last int) bool { return sentences[last].End-sentences[first].Start <= quoteRunes }
	switch {
	case isRow(c.Text, sentences[first].Span):
		said, quote = w.sayTable(c, first)
		return quote, said
	case w.onlyItem(c, first) || w.q.extreme != 0 && labelledItem.MatchString(says(first)):
		return sentences[first].Span, ""
	case w.itemAhead(c, first) >= 0:
		return sentences[w.itemAhead(c, first)].Span, ""
	case isItem(says(first)) && !isWhole(says(first)) || strings.HasSuffix(says(first), ":") && first+1 < len(sentences) && isItem(says(first+1)):
		// A list is said whole, with the sentence that introduces it.
		for last+1 < len(sentences) && isItem(says(last+1)) && fits(first, last+1) {
			last++
		}
		for first > 0 && (isItem(says(first-1)) || isItem(says(first)) && strings.HasSuffix(says(first-1), ":")) && fits(first-1, last) {
			first--
		}
	default:
		for last-first+1 < quoteSentences {
			back := first > 0 && fits(first-1, last) && !isRow(c.Text, sentences[first-1].Span)
			on := last+1 < len(sentences) && fits(first, last+1) && !isRow(c.Text, sentences[last+1].Span)
			switch {
			case on && (strings.HasSuffix(says(last), ":") || strings.HasSuffix(says(last), "?") || isBareReply(says(last))):
				last++ // such as the command that is to be used, or what follows on "Yes." or "Lost your card?"
			case on && together(last+1) && (gist && w.q.what || w.q.where && last == first && denies.MatchString(says(first))):
				last++ // what something is takes more than a sentence, and where it is not says half
			case back && (leansBack(says(first)) || goesOn(says(first)) && !ends(says(first-1))):
				first--
			case on && together(last+1) && answers(last+1) && (!back || !answers(first-1) || scores[last+1] >= scores[first-1]):
				last++
			case back && together(first) && answers(first-1):
				first--
			default:
				first, last = w.withNamed(c, first, last, fits)
				first, last = w.exactly(says, first, last)
				return text.Span{Start: sentences[first].Start, End: sentences[last].End}, ""
			}
		}
	}
	return text.Span{Start: sentences[first].Start, End: sentences[last].End}, ""
}

// labelledItem is an item of a list that says by itself what it is about: "- Wifi: free in the hall".
var labelledItem = regexp.MustCompile(`^- [^.:;?!]{2,40}(?:: | [-–—] )\S`)

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
// asked about; -1 if there is none.
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
	holds := 0
	for t, term := range w.q.terms {
		if !term.Light && ahead.held[t] >= worthOfAlike {
			holds++
		}
	}
	if holds < 2 {
		return -1
	}
	return best
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
// brings up in a word that the knowledge has only others for ("do you ship to France?").
func (w *weigher) thatNames(c *Candidate, first int, scores []float64) int {
	least := 0.0
	for i, t := range w.q.terms {
		if t.Light || c.heads[i] > 0 || c.sentences[first].held[i] > 0 {
			continue
		}
		switch {
		case w.isNamed(t):
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
// a lead". It holds as much of what was asked about, and tells nearly as much.
func (w *weigher) thatAllows(c *Candidate, first int, scores []float64) int {
	says := func(i int) string { return c.Text[c.sentences[i].Start:c.sentences[i].End] }
	if !w.q.leave || saysLeave.MatchString(says(first)) {
		return first
	}
	best := first
	for i := range c.sentences {
		if scores[i] >= scores[first]-2*belongs && holdsAll(&c.sentences[i], &c.sentences[first]) && saysLeave.MatchString(says(i)) && (best == first || scores[i] > scores[best]) {
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

// thatPlaces returns the sentence that tells nearly as much, where it is asked for a place and the
// first only says where none is: "The nearest car park is ...", not "There is no parking here".
func (w *weigher) thatPlaces(c *Candidate, first int, scores []float64) int {
	says := func(i int) string { return c.Text[c.sentences[i].Start:c.sentences[i].End] }
	if !w.q.where || !denies.MatchString(says(first)) {
		return first
	}
	best := first
	for i := range c.sentences {
		if scores[i] >= scores[first]-2*belongs && holdsAll(&c.sentences[i], &c.sentences[first]) && !denies.MatchString(says(i)) && (best == first || scores[i] > scores[best]) {
			best = i
		}
	}
	return best
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
		if !labelledItem.MatchString(said) {
			continue
		}
		label := said[:strings.IndexAny(said[len(knowledge.ItemMark):], ":-–—")+len(knowledge.ItemMark)]
		held := w.held(label)
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

// isRow reports whether a sentence is a row of a table, as the reading writes
// them: a line of its own that names what it is about, then its cells.
func isRow(s string, at text.Span) bool {
	alone := (at.Start == 0 || s[at.Start-1] == '\n') && (at.End == len(s) || s[at.End] == '\n')
	head, cells, ok := strings.Cut(s[at.Start:at.End], ": ")
	return alone && ok && strings.Contains(cells, "; ") && len(head) < 80
}

// isWhole reports whether an item of a list says something by itself: it is a sentence, and no step
// of several.
func isWhole(item string) bool {
	return ends(item) && !aStep.MatchString(item) && len(strings.Fields(item)) > fewWords
}

// fewWords is how many words an item has at most, with its mark, that is no sentence.
const fewWords = 4

// aStep is an item of a list that is counted.
var aStep = regexp.MustCompile(`^- \(?(?:\d{1,2}|[a-z])[.)]`)

// isBareReply reports whether a sentence only says yes or no to what stands above it.
func isBareReply(sentence string) bool { return ends(sentence) && len(strings.Fields(sentence)) <= 2 }

// repliesTo returns the question of a heading that a quote says yes or no to, "" if it does not.
func (c *Candidate) repliesTo(quoted string) string {
	if len(c.Trail) == 0 || !strings.HasSuffix(c.Trail[len(c.Trail)-1], "?") || !saysYesOrNo.MatchString(quoted) {
		return ""
	}
	return c.Trail[len(c.Trail)-1]
}

var saysYesOrNo = regexp.MustCompile(`^(?i:yes|no)\b[,.!;:]`)

// isItem reports whether a line is an item of a list, as the reading marks them.
func isItem(line string) bool { return strings.HasPrefix(line, knowledge.ItemMark) }

// Words at the beginning of a sentence by which it leans on the one before it.
var (
	leaning        = []string{"It", "They", "This", "These", "That", "Those", "He", "She", "Otherwise", "However", "But", "Then", "Both"}
	leaningPhrases = []string{"If not", "In that case", "Each of", "The same"}
)

// leansBack reports whether a sentence needs the one before it to be understood.
func leansBack(sentence string) bool {
	first, _, _ := strings.Cut(sentence, " ")
	return slices.Contains(leaning, strings.TrimRight(first, ",.:;")) ||
		slices.ContainsFunc(leaningPhrases, func(phrase string) bool { return strings.HasPrefix(sentence, phrase) })
}

// goesOn reports whether a line begins in the middle of a sentence, as it does
// behind a command that is set apart.
func goesOn(line string) bool {
	r, _ := utf8.DecodeRuneInString(line)
	return unicode.IsLower(r)
}

// ends reports whether a line ends a sentence.
func ends(line string) bool { return strings.ContainsAny(line[len(line)-1:], ".!?") }

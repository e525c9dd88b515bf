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
	first = w.ofAnyDay(c, first, scores)
	first = w.thatAllows(c, first, scores)
	first = w.thatPlaces(c, first, scores)
	first = w.labelled(c, first)
	gist := tells[0].Gist > 0 && !isRow(c.Text, sentences[first].Span)
	if gist && w.telling == 1 && !(c.headsSeveral() && sentences[0].own == 0 && sentences[first].own > 0) {
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
	ahead, prices := -1, []int(nil)
	if isItem(says(first)) {
		ahead, prices = w.itemAhead(c, first), w.pricesOf(c, first)
	}
	switch {
	case isRow(c.Text, sentences[first].Span):
		said, quote = w.sayTable(c, first)
		return quote, said
	case w.onlyItem(c, first) || w.q.extreme != 0 && labelledItem.MatchString(says(first)):
		return sentences[first].Span, ""
	case ahead >= 0:
		return sentences[ahead].Span, ""
	case len(prices) > 0:
		return c.sayItems(prices)
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
			case back && last == first && together(first) && w.q.where && denies.MatchString(says(first)) && sentences[first-1].own > 0 && sentences[first-1].own >= sentences[first].own:
				first-- // what has no place is said after what has
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

// headsSeveral reports whether the heading of a passage names several things: "Booking and cancelling".
func (c *Candidate) headsSeveral() bool {
	return len(c.Trail) > 0 && severalThings.MatchString(c.Trail[len(c.Trail)-1])
}

var severalThings = regexp.MustCompile(`(?i)^[^?]*(?:,|&|/|\b(?:and|or)\b)[^?]*$`)

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

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

// Features are what is looked at to tell how well a passage answers a question,
// or a weight for each. A feature lies between 0 and 1 unless it says otherwise.
type Features struct {
	Words    float64 `json:"words,omitempty"`    // BM25 as a share of the most that the question could earn
	Coverage float64 `json:"coverage,omitempty"` // share of the telling words, by weight, held anywhere in the passage
	Counted  float64 `json:"counted,omitempty"`  // the same, each word counted once
	Together float64 `json:"together,omitempty"` // share held by the sentences that answer, with the headings above
	Meaning  float64 `json:"meaning,omitempty"`  // likeness of the best sentence, or of the whole or the headings, -1 to 1
	Whole    float64 `json:"whole,omitempty"`    // likeness of the whole passage, -1 to 1
	Heading  float64 `json:"heading,omitempty"`  // likeness of the headings or the question above, -1 to 1
	Question float64 `json:"question,omitempty"` // likeness by words to the question that a house answer or heading is
	Lacking  float64 `json:"lacking,omitempty"`  // rarity of the rarest telling word that the passage does not hold, as a share of the rarest possible
	NoFact   float64 `json:"no_fact,omitempty"`  // 1 if the kind of fact that was asked for is not there
	Fact     float64 `json:"fact,omitempty"`     // 1 if a kind of fact was asked for and is there
	Short    float64 `json:"short,omitempty"`    // 1 over the number of telling words
	Best     float64 `json:"best,omitempty"`     // chance, by the ranks, that it is the best of those found that do not say the same
}

type weigher struct {
	ix       *knowledge.Index
	q        *question
	aim      knowledge.Aim
	analyzer *text.Analyzer
	weights  *Weights
	most     float64           // that the question could earn by words
	telling  int               // how many of its terms are not light
	lacking  []float64         // of each term: its rarity as a share of the rarest possible
	seeks    map[string][]seek // what the question looks for, by stem
	words    map[string][]seek // the same by words met so far
}

// prepare works out what is the same for all passages.
func (w *weigher) prepare() {
	w.seeks, w.words = map[string][]seek{}, map[string][]seek{}
	rarest := w.ix.Rarity("")
	for i, t := range w.q.terms {
		best := 0.0
		for _, a := range t.want {
			best = max(best, a.Worth*w.ix.Rarity(a.Stem))
			w.seeks[a.Stem] = append(w.seeks[a.Stem], seek{i, a.Worth})
		}
		if t.Light {
			best *= lightWeight
		} else {
			w.telling++
		}
		w.most += best
		w.lacking = append(w.lacking, w.ix.Rarity(t.Stem)/rarest)
	}
}

// A seek says which term a stem stands for, and how well.
type seek struct {
	term  int
	worth float64
}

// outerHeld is how well a passage holds a word that stands only in an outer
// heading, which it shares with its neighbours.
const outerHeld = 0.4

// A sentence is one sentence of a passage, held against a question.
type sentence struct {
	text.Span
	own  float64 // share of the question's terms in the sentence itself
	held []float64
	like float64
}

func (w *weigher) weigh(hit knowledge.Hit) Candidate {
	c := Candidate{Hit: hit}
	q := w.q
	heads := make([]float64, len(q.terms)) // how well the question or headings above hold each term
	w.hold(heads, hit.Question, 1)
	for i, heading := range hit.Trail {
		held := 1.0
		if i < len(hit.Trail)-1 {
			held = outerHeld
		}
		w.hold(heads, heading, held)
	}
	likeness := w.aim.Likeness(hit)
	spans := text.Sentences(hit.Text)
	sentences := make([]sentence, len(spans))
	anywhere := slices.Clone(heads)
	for i, span := range spans {
		s := sentence{Span: span, held: make([]float64, len(q.terms))}
		w.hold(s.held, hit.Text[span.Start:span.End], 1)
		s.own = w.share(s.held)
		if i < len(likeness.Sentences) {
			s.like = likeness.Sentences[i]
		}
		for j, held := range s.held {
			anywhere[j] = max(anywhere[j], held)
		}
		sentences[i] = s
	}
	f := &c.Features
	counted := 0.0
	for i, t := range q.terms {
		if t.Light {
			continue
		}
		counted += anywhere[i]
		if anywhere[i] == 0 {
			c.Missing = append(c.Missing, t.Word)
			f.Lacking = max(f.Lacking, w.lacking[i])
		}
	}
	if w.most > 0 {
		f.Words = hit.Score / w.most
	}
	f.Counted = counted / float64(max(w.telling, 1))
	f.Short = 1 / float64(max(w.telling, 1))
	f.Coverage = w.share(anywhere)
	c.Coverage = f.Coverage
	f.Heading, f.Whole = likeness.Heading, likeness.Whole
	f.Meaning = max(f.Heading, f.Whole)
	for _, like := range likeness.Sentences {
		f.Meaning = max(f.Meaning, like)
	}
	c.Meaning = f.Meaning
	head := hit.Question
	if head == "" && len(hit.Trail) > 0 {
		head = hit.Trail[len(hit.Trail)-1]
	}
	f.Question = w.likeness(head)
	c.Quote, f.Together = w.quote(hit, sentences, heads)
	if len(likeness.Sentences) == 0 {
		// Not encoded yet: as like as passages that hold as many words usually are.
		f.Meaning, f.Whole, f.Heading = 0.3+0.3*f.Together, 0.2+0.3*f.Together, 0.2+0.4*f.Question
	}
	if hit.Question != "" {
		c.Quote = text.Span{Start: 0, End: len(hit.Text)}
	}
	if q.fact != nil {
		if q.fact.in(hit.Text[c.Quote.Start:c.Quote.End]) {
			f.Fact = 1
		} else {
			f.NoFact = 1
		}
	}
	c.rank = w.weights.Rank.dot(*f)
	return c
}

// hold notes how well a text holds each term, if it does so better.
func (w *weigher) hold(held []float64, content string, worth float64) {
	if content == "" {
		return
	}
	for word := range text.EachWord(content) {
		sought, met := w.words[word.Folded]
		if !met {
			if !w.analyzer.IsStop(content[word.Start:word.End], word.Folded) {
				sought = w.seeks[w.analyzer.Stem(word.Folded)]
			}
			w.words[word.Folded] = sought
		}
		for _, s := range sought {
			held[s.term] = max(held[s.term], worth*s.worth)
		}
	}
}

// share is the part of the question, by weight, that is held.
func (w *weigher) share(held []float64) float64 {
	var sum, all float64
	for i, t := range w.q.terms {
		all += t.weight
		sum += t.weight * held[i]
	}
	if all == 0 {
		return 0
	}
	return sum / all
}

// likeness compares the question with another by their words: twice the weight
// they share over the weight of both (Dice), 0 to 1.
func (w *weigher) likeness(other string) float64 {
	if other == "" {
		return 0
	}
	var shared, all float64
	theirs := w.analyzer.Telling(other)
	for _, t := range w.q.terms {
		all += t.weight
		for _, a := range t.want {
			if slices.ContainsFunc(theirs, func(o text.Term) bool { return o.Stem == a.Stem }) {
				shared += 2 * t.weight * a.Worth
				break
			}
		}
	}
	for _, t := range theirs {
		all += w.ix.Weight(t)
	}
	if all == 0 {
		return 0
	}
	return min(1, shared/all)
}

// How long a quoted answer may grow: in runes, about, and in sentences.
const (
	quoteRunes     = 420
	quoteSentences = 3
)

// quote picks the neighbouring sentences that answer best, and returns how much
// of the question they hold with the headings above.
func (w *weigher) quote(hit knowledge.Hit, sentences []sentence, heads []float64) (text.Span, float64) {
	if len(sentences) == 0 {
		return text.Span{}, 0
	}
	together := func(first, last int) float64 {
		held := slices.Clone(heads)
		for _, s := range sentences[first : last+1] {
			for j, h := range s.held {
				held[j] = max(held[j], h)
			}
		}
		return w.share(held)
	}
	says := func(i int) string { return hit.Text[sentences[i].Start:sentences[i].End] }
	scores := make([]float64, len(sentences))
	first := 0
	headed := w.share(heads)
	for i, s := range sentences {
		// Where the headings ask what was asked, the answer begins below them.
		scores[i] = together(i, i) + 0.5*s.own + s.like + 0.4*headed/float64(1+i)
		if w.q.fact != nil && w.q.fact.in(says(i)) {
			scores[i] += 0.3
		}
		if scores[i] > scores[first]+1e-9 {
			first = i
		}
	}
	last := first
	fits := func(first, last int) bool { return sentences[last].End-sentences[first].Start <= quoteRunes }
	switch {
	case isRow(hit.Text, sentences[first].Span):
		// A row of a table says all by itself.
	case isItem(says(first)) || strings.HasSuffix(says(first), ":") && first+1 < len(sentences) && isItem(says(first+1)):
		// A list is said whole, with the sentence that introduces it.
		for last+1 < len(sentences) && isItem(says(last+1)) && fits(first, last+1) {
			last++
		}
		for first > 0 && (isItem(says(first-1)) || isItem(says(first)) && strings.HasSuffix(says(first-1), ":")) && fits(first-1, last) {
			first--
		}
	default:
		for last-first+1 < quoteSentences {
			back := first > 0 && fits(first-1, last)
			on := last+1 < len(sentences) && fits(first, last+1)
			switch {
			case on && strings.HasSuffix(says(last), ":"):
				last++ // such as the command that is to be used
			case back && (leansBack(says(first)) || goesOn(says(first)) && !ends(says(first-1))):
				first--
			case on && (!back || scores[last+1] >= scores[first-1] || leansBack(says(last+1))):
				last++
			case back:
				first--
			default:
				return text.Span{Start: sentences[first].Start, End: sentences[last].End}, together(first, last)
			}
		}
	}
	return text.Span{Start: sentences[first].Start, End: sentences[last].End}, together(first, last)
}

// agreement is the share of the telling words of the shorter of two quotes from
// which on both are taken to say the same.
const agreement = 0.5

// agree reports whether two candidates' quotes, by their telling words, say the
// same: then they bear each other
// out rather than cast doubt on each other.
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

// isRow reports whether a sentence is a row of a table, as the reading writes
// them: a line of its own that names what it is about, then its cells.
func isRow(s string, at text.Span) bool {
	alone := (at.Start == 0 || s[at.Start-1] == '\n') && (at.End == len(s) || s[at.End] == '\n')
	head, cells, ok := strings.Cut(s[at.Start:at.End], ": ")
	return alone && ok && strings.Contains(cells, "; ") && len(head) < 80
}

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

// A fact is a kind of fact that a question asks for, and how a text shows that
// it holds one.
type fact struct {
	asked   *regexp.Regexp
	number  *regexp.Regexp // of texts with a digit or a sign of money; nil: any of these will do
	words   map[string]bool
	phrases []string
}

// in reports whether a text holds such a fact.
func (f *fact) in(s string) bool {
	if strings.ContainsAny(s, "0123456789£$€") && (f.number == nil || f.number.MatchString(s)) {
		return true
	}
	for w := range text.EachWord(s) {
		if f.words[w.Folded] {
			return true
		}
	}
	return slices.ContainsFunc(f.phrases, func(phrase string) bool { return strings.Contains(s, phrase) })
}

var facts = []fact{
	{
		asked:   regexp.MustCompile(`(?i)\b(?:how much (?:is|are|does|do|did|will|would|for)|what(?:'s| is| are)? the (?:price|cost|fare|charge|fee)s?(?: of| for)?|price|cost|costs|fare)\b`),
		number:  regexp.MustCompile(`(?i)[£$€]\s?\d|\d[\d.,]*\s?(?:£|€|p\b|pence|pounds?|euros?|dollars?|crowns?|marks?)`),
		words:   text.Set("free included half"),
		phrases: []string{"no charge", "No charge", "no extra", "costs nothing", "cost nothing"},
	},
	{
		asked: regexp.MustCompile(`(?i)\b(?:when|what time|which days?|what days?|how (?:long|early|late|often|soon))\b`),
		words: text.Set(`second seconds minute minutes hour hours day days week weeks month months year years daily hourly once twice morning noon evening night
			always never anytime one two three four five six seven eight nine ten eleven twelve after before until during every`),
		phrases: []string{"any time"},
	},
	{
		asked:   regexp.MustCompile(`(?i)\bhow (?:big|large|far|high|deep|heavy|wide|tall|small)\b`),
		number:  regexp.MustCompile(`(?i)\d[\d.,]*\s?(?:%|m\b|cm\b|mm\b|km\b|kg\b|g\b|kB|MB|GB|TB|kilo|mega|giga|gram|metre|meter|mile|inch|feet|foot|litre|liter|pixel|tonne|ton|byte|centi|milli|dots)`),
		words:   text.Set("unlimited"),
		phrases: []string{"any size", "Any size", "no limit", "No limit"},
	},
	{
		asked:   regexp.MustCompile(`(?i)\bhow (?:many|old)\b`),
		words:   text.Set("no none one two three four five six seven eight nine ten twelve hundred thousand several unlimited"),
		phrases: []string{"any number", "Any number"},
	},
}

// factWanted returns what an answer to the question must hold, or nil, and the
// words that ask for it. These need not be in the answer: "dogs travel free" says
// what a dog costs.
func factWanted(question string) (*fact, text.Span) {
	for i := range facts {
		if at := facts[i].asked.FindStringIndex(question); at != nil {
			return &facts[i], text.Span{Start: at[0], End: at[1]}
		}
	}
	return nil, text.Span{}
}

var followUp = regexp.MustCompile(`(?i)^(?:and what about|what about|how about|and for|and|also)\b\s*`)

// pointing words stand for what was said before.
var pointing = regexp.MustCompile(`(?i)\b(?:it|its|they|them|their|that|those|this|these|there|one|ones|then)\b`)

// isFollowUp reports whether a question needs the one before it: it is short and
// begins with "and", "what about", and is no whole question by itself, as "and when
// does the office open?" is.
func isFollowUp(question string) bool {
	rest := followUp.ReplaceAllString(question, "")
	if rest == question || len(text.Words(question)) > 6 {
		return false
	}
	return !asks.MatchString(rest) || len(text.Words(rest)) < 4 || pointing.MatchString(rest)
}

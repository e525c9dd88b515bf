package answer

import (
	"math"
	"runtime"
	"slices"
	"strings"
	"sync"
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
	Three    float64 `json:"three,omitempty"`    // chance, by the ranks, that it or one of the two behind it is the best
	Ahead    float64 `json:"ahead,omitempty"`    // by how much its rank is above that of the next that does not say the same
	Rivals   float64 `json:"rivals,omitempty"`   // of how many others the checker is sure, 0 and more
	Votes    float64 `json:"votes,omitempty"`    // share of the ways to weigh passages by which it is the best
	Alone    float64 `json:"alone,omitempty"`    // 1 if nothing stands around the question
	Length   float64 `json:"length,omitempty"`   // how many words are looked for, with the message around the question, in tens

	// By how much more than any other that does not say the same, -1 to 1; Surer: logits.
	MoreCovered float64 `json:"more_covered,omitempty"`
	Surer       float64 `json:"surer,omitempty"`
	AroundSurer float64 `json:"around_surer,omitempty"`

	Customers float64 `json:"customers,omitempty"` // how likely customers use the question's words where the best sentence uses its own; 0 and more
	Match     float64 `json:"match,omitempty"`     // of its tokens with those of the best sentence, -1 to 1
	Sure      float64 `json:"sure,omitempty"`      // what the checker makes of the best sentence, a logit
	Lacks     float64 `json:"lacks,omitempty"`     // chance that a word of the question is not covered there

	// The same for the message around the question, with the question before if it
	// follows that.
	AroundWords     float64 `json:"around_words,omitempty"`
	AroundMeaning   float64 `json:"around_meaning,omitempty"`
	AroundCustomers float64 `json:"around_customers,omitempty"`
	AroundMatch     float64 `json:"around_match,omitempty"`
	AroundSure      float64 `json:"around_sure,omitempty"`
}

// Values returns the features in a fixed order.
func (f *Features) Values() [31]float64 {
	return [...]float64{
		f.Words, f.Coverage, f.Counted, f.Together, f.Meaning, f.Whole, f.Heading, f.Question, f.Lacking, f.NoFact, f.Fact, f.Short, f.Best, f.Three, f.Ahead, f.Rivals, f.Votes, f.Alone,
		f.Customers, f.Match, f.Sure, f.Lacks, f.AroundWords, f.AroundMeaning, f.AroundCustomers, f.AroundMatch, f.AroundSure,
		f.Length, f.MoreCovered, f.Surer, f.AroundSurer,
	}
}

type weigher struct {
	around      *weigher // of the message around the question; nil: nothing stands around it
	ix          *knowledge.Index
	q           *question
	aim         knowledge.Aim
	analyzer    *text.Analyzer
	fitted      *Fitted
	calibration Calibration
	watch       func(Candidate, []Tells)
	most        float64   // that the question could earn by words
	telling     int       // how many of its terms are not light
	lacking     []float64 // of each term: its rarity as a share of the rarest possible
	stems       *stems
	sought      map[int32]sought // by the number of the stem
	says        int              // how many words it has that customers are known to use
}

// A lift says how much likelier a word of the question is said where a text holds a stem.
type lift struct {
	word  int
	times float64
}

// What a stem holds of the question: what it looks for, and what its customers say in such places.
type sought struct {
	seeks []seek
	lifts []lift
}

// prepare works out what is the same for all passages.
func (w *weigher) prepare(meant string) {
	sought := map[string]sought{}
	rarest := w.ix.Rarity("")
	for i, t := range w.q.terms {
		best := 0.0
		for _, a := range t.want {
			best = max(best, a.Worth*w.ix.Rarity(a.Stem))
			if w.q.isDay(i) {
				continue // onDays holds it
			}
			of := sought[a.Stem]
			of.seeks = append(of.seeks, seek{i, a.Worth})
			sought[a.Stem] = of
		}
		if t.Light {
			best *= lightWeight
		} else {
			w.telling++
		}
		w.most += best
		w.lacking = append(w.lacking, w.ix.Rarity(t.Stem)/rarest)
	}
	w.says = w.analyzer.Customers(meant, func(word int, stem string, times float64) {
		of := sought[stem]
		of.lifts = append(of.lifts, lift{word, times})
		sought[stem] = of
	})
	w.sought = w.stems.numbered(sought)
}

// A seek says which term a stem stands for, and how well.
type seek struct {
	term  int
	worth float64
}

// outerHeld is how well a passage holds a word that stands only in an outer heading, which
// it shares with its neighbours. askedHeld and askedLikeness are what the questions count
// that it is said to answer, by words and by meaning: they may be a model's, and poor.
const (
	outerHeld     = 0.4
	askedHeld     = 0.2
	askedLikeness = 0.85
)

// A sentence is one sentence of a passage, held against a question.
type sentence struct {
	text.Span
	own        float64 // share of the question's terms in the sentence itself
	held       []float64
	together   float64 // share that it holds with the headings above
	like       float64
	likeAround float64
	customers  float64
	match      float64
	around     float64 // the same for the message around the question
	judged     bool
	sure       float64
}

// aside is how many passages are worth being weighed on two processors.
const aside = 8

// weighAll weighs passages, each by itself.
func weighAll(own, wide *wording, hits []knowledge.Hit) []Candidate {
	candidates := make([]Candidate, len(hits))
	half := len(hits)
	if half >= aside && runtime.GOMAXPROCS(0) > 1 {
		half /= 2
	}
	var other sync.WaitGroup
	if half < len(hits) {
		other.Go(func() {
			for i, hit := range hits[half:] {
				candidates[half+i] = weigh(own, wide, hit)
			}
		})
	}
	for i, hit := range hits[:half] {
		candidates[i] = weigh(own, wide, hit)
	}
	other.Wait()
	return candidates
}

// weigh holds a passage against a question and the message around it, by words and by
// meaning.
func weigh(own, wide *wording, hit knowledge.Hit) Candidate {
	hit.Score = own.ix.Score(hit, own.wants)
	c := own.weigh(hit)
	f := &c.Features
	f.AroundWords, f.AroundMeaning, f.AroundCustomers = f.Words, f.Meaning, f.Customers
	if wide != own {
		hit.Score = own.ix.Score(hit, wide.wants)
		around := wide.weigh(hit)
		f.AroundWords, f.AroundMeaning, f.AroundCustomers = around.Features.Words, around.Features.Meaning, around.Features.Customers
		for i := range c.sentences {
			c.sentences[i].likeAround = around.sentences[i].like
		}
	}
	c.rank = own.fitted.Plain.Rank.dot(*f)
	return c
}

func (w *weigher) weigh(hit knowledge.Hit) Candidate {
	c := Candidate{Hit: hit}
	q := w.q
	c.heads = make([]float64, len(q.terms)) // how well the question or headings above hold each term
	lifted := make([]float64, 2*w.says)     // how much likelier each word is said, by the headings and with the sentence
	apart := w.stems.apart(w.analyzer, &hit)
	words := w.hold(c.heads, lifted, apart.question, hit.Question, 1)
	for i, heading := range hit.Trail {
		held := 1.0
		if i < len(hit.Trail)-1 {
			held = outerHeld
		}
		words += w.hold(c.heads, lifted, apart.trail[i], heading, held)
	}
	for i, asked := range hit.Asked {
		w.hold(c.heads, lifted, apart.asked[i], asked, askedHeld)
	}
	likeness := w.aim.Likeness(hit)
	c.sentences = make([]sentence, len(apart.sentences))
	anywhere := slices.Clone(c.heads)
	f := &c.Features
	for i, span := range apart.sentences {
		s := sentence{Span: span, held: make([]float64, len(q.terms))}
		said := lifted[w.says:]
		copy(said, lifted[:w.says])
		n := words + w.hold(s.held, said, apart.said[i], hit.Text[span.Start:span.End], 1)
		for _, times := range said {
			s.customers += math.Log1p(sayWeight * times / float64(max(n, 1)))
		}
		s.customers /= float64(max(w.says, 1))
		s.own = w.share(s.held)
		if i < len(likeness.Sentences) {
			s.like = likeness.Sentences[i]
			s.likeAround = s.like
		}
		together := slices.Clone(c.heads)
		for j, held := range s.held {
			anywhere[j], together[j] = max(anywhere[j], held), max(together[j], held)
		}
		s.together = w.share(together)
		f.Together, f.Customers = max(f.Together, s.together), max(f.Customers, s.customers)
		c.sentences[i] = s
	}
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
	f.Meaning = max(f.Meaning, askedLikeness*likeness.Asked)
	c.Meaning = f.Meaning
	f.Question = w.likenessTo(apart.headTells)
	if len(likeness.Sentences) == 0 {
		// Not encoded yet: as like as passages that hold as many words usually are.
		f.Meaning, f.Whole, f.Heading = 0.3+0.3*f.Together, 0.2+0.3*f.Together, 0.2+0.4*f.Question
	}
	return c
}

// sayWeight is how much what customers are known to say counts beside what they say
// anywhere.
const sayWeight = 0.25

// repeats reports whether a candidate's quote says what answered the question before, though
// the follow-up asks about something that it does not hold: "and for dogs?", after a question
// about bicycles.
func (w *weigher) repeats(c *Candidate) bool {
	before := w.q.before
	if before == nil {
		return false
	}
	if (before.ID != c.ID || before.Quote != c.Quote) && !w.agree(before.telling(w.analyzer), c.telling(w.analyzer)) {
		return false
	}
	for i, t := range w.q.terms[:w.q.own] {
		if t.Light {
			continue
		}
		for _, s := range c.sentences {
			if s.held[i] > 0 && s.Start >= c.Quote.Start && s.End <= c.Quote.End {
				return false
			}
		}
	}
	return true
}

// telling returns the telling words of a candidate's quote.
func (c *Candidate) telling(analyzer *text.Analyzer) []text.Term {
	return analyzer.Telling(c.Text[c.Quote.Start:c.Quote.End])
}

// headed reports whether the heading of a candidate, its question, or the name of a row in it
// holds all that a follow-up brings up itself.
func (w *weigher) headed(c Candidate) bool {
	return w.bringsUp(func(i int) bool { return c.heads[i] > outerHeld }) || slices.ContainsFunc(c.sentences, func(s sentence) bool {
		if !isRow(c.Text, s.Span) {
			return false
		}
		name := w.analyzer.Telling(rowOf(c.Text, s.Span).name)
		return w.bringsUp(func(i int) bool {
			return slices.ContainsFunc(name, func(t text.Term) bool { return t.Stem == w.q.terms[i].Stem })
		})
	})
}

// lacksCode reports whether a candidate lacks a code that the question names.
func (w *weigher) lacksCode(c *Candidate) bool {
	return slices.ContainsFunc(c.Missing, func(word string) bool {
		return isCode(word) && w.ix.Knows(w.analyzer.Stem(text.Fold(word)))
	})
}

// isCode reports whether a word is a code: letters with digits behind them.
func isCode(word string) bool {
	first, _ := utf8.DecodeRuneInString(word)
	return unicode.IsLetter(first) && strings.ContainsAny(word, "0123456789")
}

// isHeading reports whether the heading of a candidate holds all telling words of the question.
func (w *weigher) isHeading(c Candidate) bool {
	for i, t := range w.q.terms {
		if !t.Light && c.heads[i] <= outerHeld {
			return false
		}
	}
	return w.telling > 0
}

// bringsUp reports whether something holds of all terms that a follow-up brings up itself, of
// which there must be one.
func (w *weigher) bringsUp(holds func(term int) bool) bool {
	tells := false
	for i, t := range w.q.terms[:w.q.own] {
		if !t.Light && !holds(i) {
			return false
		}
		tells = tells || !t.Light
	}
	return tells
}

// hold notes how well a text, with its words taken apart, holds each term, if it does so better,
// adds up how much likelier each word of the question is said there, and returns the number of
// words.
func (w *weigher) hold(held, lifted []float64, apart said, content string, worth float64) int {
	if content == "" {
		return 0
	}
	for _, word := range apart.words {
		of, is := w.sought[word.number()]
		if !is {
			continue
		}
		if !word.isStop() {
			for _, s := range of.seeks {
				held[s.term] = max(held[s.term], worth*s.worth)
			}
		}
		for _, l := range of.lifts {
			lifted[l.word] += l.times
		}
	}
	w.inRange(held, content, worth)
	w.onFeasts(held, content, worth)
	w.onDays(held, apart.days, worth)
	return len(apart.words)
}

// held returns how well a text holds each term.
func (w *weigher) held(content string) []float64 {
	held := make([]float64, len(w.q.terms))
	w.hold(held, make([]float64, w.says), w.stems.said(w.analyzer, content), content, 1)
	return held
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
func (w *weigher) likeness(other string) float64 { return w.likenessTo(w.analyzer.Telling(other)) }

// likenessTo is likeness to a question whose telling words these are.
func (w *weigher) likenessTo(theirs []text.Term) float64 {
	if len(theirs) == 0 {
		return 0
	}
	var shared, all float64
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

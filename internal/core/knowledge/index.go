package knowledge

import (
	"cmp"
	"math"
	"slices"
	"sync"

	"urgentparrot.example/internal/core/text"
)

// BM25 with fields: the term frequencies of the fields are weighted, each
// normalised by its field's length, and added before they saturate
// (Robertson, Zaragoza and Taylor, 2004: "Simple BM25 extension to multiple
// weighted fields").
const (
	saturation = 1.2
	lengthNorm = 0.6
)

type field int

const (
	inQuestion field = iota
	inTrail
	inBody
	fields
)

var fieldWeight = [fields]float64{inQuestion: 2.5, inTrail: 1.8, inBody: 1}

// An Index finds passages by their words. It does not change once built, so any
// number of goroutines may search it.
type Index struct {
	analyzer *text.Analyzer
	passages []entry
	postings map[string]postings
	unknown  float64 // the rarity of a stem that no passage holds
	meanLen  [fields]float64
}

type entry struct {
	Passage
	lengths   [fields]uint16
	sentences []text.Span
	terms     [][]string          // stems by sentence, in order
	held      map[string]float64  // how well the passage holds a stem, by where it stands
	heads     map[string]struct{} // stems of the question and the innermost heading
}

// postings are the passages that hold a stem, and how rare it is.
type postings struct {
	list   []posting
	rarity float64
}

type posting struct {
	passage int32
	tf      [fields]uint16
}

// Build makes an index of passages.
func Build(analyzer *text.Analyzer, passages []Passage) *Index {
	ix := &Index{analyzer: analyzer, passages: make([]entry, len(passages)), postings: map[string]postings{}}
	for i, p := range passages {
		e := &ix.passages[i]
		*e = entry{Passage: p, sentences: text.Sentences(p.Text), held: map[string]float64{}, heads: map[string]struct{}{}}
		counts := map[string]*[fields]uint16{}
		add := func(f field, held float64, terms []text.Term) (stems []string) {
			for _, t := range terms {
				if t.Stop {
					continue
				}
				if counts[t.Stem] == nil {
					counts[t.Stem] = new([fields]uint16)
				}
				counts[t.Stem][f]++
				e.lengths[f]++
				e.held[t.Stem] = max(e.held[t.Stem], held)
				if f != inBody && held == 1 {
					e.heads[t.Stem] = struct{}{}
				}
				stems = append(stems, t.Stem)
			}
			return stems
		}
		add(inQuestion, 1, analyzer.Terms(p.Question))
		for i, heading := range p.Trail {
			held := 1.0
			if i < len(p.Trail)-1 {
				held = outerHeld
			}
			add(inTrail, held, analyzer.Terms(heading))
		}
		for _, s := range e.sentences {
			e.terms = append(e.terms, add(inBody, 1, analyzer.Terms(p.Text[s.Start:s.End])))
		}
		for stem, tf := range counts {
			p := ix.postings[stem]
			p.list = append(p.list, posting{int32(i), *tf})
			ix.postings[stem] = p
		}
		for f := range e.lengths {
			ix.meanLen[f] += float64(e.lengths[f]) / float64(len(passages))
		}
	}
	rarity := func(holders int) float64 {
		n, df := float64(len(passages)), float64(holders)
		return math.Log(1 + (n-df+0.5)/(df+0.5))
	}
	for stem, p := range ix.postings {
		p.rarity = rarity(len(p.list))
		ix.postings[stem] = p
	}
	ix.unknown = rarity(0)
	return ix
}

// outerHeld is how well a passage holds a word that stands only in an outer
// heading, which it shares with its neighbours.
const outerHeld = 0.4

// Len returns the number of passages.
func (ix *Index) Len() int { return len(ix.passages) }

// Analyzer returns the analyzer that the index was built with.
func (ix *Index) Analyzer() *text.Analyzer { return ix.analyzer }

// Rarity weighs a stem by how few passages hold it, as BM25 does; a stem that no
// passage holds is the rarest.
func (ix *Index) Rarity(stem string) float64 {
	if p, ok := ix.postings[stem]; ok {
		return p.rarity
	}
	return ix.unknown
}

// Knows reports whether any passage holds the stem.
func (ix *Index) Knows(stem string) bool { return len(ix.postings[stem].list) > 0 }

// A Hit is a passage that shares words with a query.
type Hit struct {
	Passage
	Score float64 // BM25 over fields; comparable within one search only
	entry *entry
}

// Search returns the n best passages for the terms, best first.
func (ix *Index) Search(terms []text.Term, n int) []Hit {
	found := scratches.Get().(*scratch)
	defer scratches.Put(found)
	found.reset(len(ix.passages))
	for _, t := range terms {
		p := ix.postings[t.Stem]
		rarity := p.rarity
		if t.Light {
			rarity *= lightWeight
		}
		for _, p := range p.list {
			tf := 0.0
			for f, count := range p.tf {
				if count > 0 {
					length := float64(ix.passages[p.passage].lengths[f])
					tf += fieldWeight[f] * float64(count) / (1 - lengthNorm + lengthNorm*length/ix.meanLen[f])
				}
			}
			found.add(p.passage, rarity*tf/(saturation+tf))
		}
	}
	better := func(a, b int32) int {
		if d := cmp.Compare(found.scores[b], found.scores[a]); d != 0 {
			return d
		}
		return cmp.Compare(a, b)
	}
	slices.SortFunc(found.touched, better)
	hits := make([]Hit, min(n, len(found.touched)))
	for i := range hits {
		at := found.touched[i]
		hits[i] = Hit{ix.passages[at].Passage, found.scores[at], &ix.passages[at]}
	}
	return hits
}

// A scratch holds the scores of one search.
type scratch struct {
	scores  []float64
	touched []int32
}

var scratches = sync.Pool{New: func() any { return new(scratch) }}

func (s *scratch) reset(n int) {
	for _, i := range s.touched {
		s.scores[i] = 0
	}
	s.touched = s.touched[:0]
	if len(s.scores) < n {
		s.scores = make([]float64, n)
	}
}

func (s *scratch) add(passage int32, score float64) {
	if s.scores[passage] == 0 {
		s.touched = append(s.touched, passage)
	}
	s.scores[passage] += score
}

// lightWeight is what a light word counts, beside a telling one's 1.
const lightWeight = 0.2

// Weight is how much a term tells about a question: its rarity, little if the
// word is a light one.
func (ix *Index) Weight(t text.Term) float64 {
	if t.Light {
		return lightWeight * ix.Rarity(t.Stem)
	}
	return ix.Rarity(t.Stem)
}

// Coverage returns the share (0 to 1, by weight) of the terms that the passage
// holds anywhere, and the terms that it does not hold.
func (ix *Index) Coverage(h Hit, terms []text.Term) (share float64, missing []text.Term) {
	return ix.cover(terms, func(stem string) float64 { return h.entry.held[stem] })
}

// Sentences returns the passage's sentences, each with the share of the terms
// that it, or the headings and question above it, holds.
func (ix *Index) Sentences(h Hit, terms []text.Term) []Sentence {
	sentences := make([]Sentence, len(h.entry.sentences))
	for i, span := range h.entry.sentences {
		inSentence := func(stem string) float64 {
			if slices.Contains(h.entry.terms[i], stem) {
				return 1
			}
			return 0
		}
		own, _ := ix.cover(terms, inSentence)
		all, _ := ix.cover(terms, func(stem string) float64 {
			if _, above := h.entry.heads[stem]; above {
				return 1
			}
			return inSentence(stem)
		})
		sentences[i] = Sentence{Span: span, Own: own, Covered: all}
	}
	return sentences
}

// A Sentence is one sentence of a passage, held against a question.
type Sentence struct {
	text.Span
	Own     float64 // share of the question's terms in the sentence itself, 0 to 1
	Covered float64 // the same, with the headings above it
}

// Likeness compares the terms of a question with the question of a house
// answer: twice the weight they share over the weight of both (Dice), 0 to 1.
func (ix *Index) Likeness(terms []text.Term, question string) float64 {
	theirs := ix.analyzer.Telling(question)
	var shared, all float64
	for _, t := range terms {
		w := ix.Weight(t)
		all += w
		if slices.ContainsFunc(theirs, func(o text.Term) bool { return o.Stem == t.Stem }) {
			shared += 2 * w
		}
	}
	for _, t := range theirs {
		all += ix.Weight(t)
	}
	if all == 0 {
		return 0
	}
	return shared / all
}

func (ix *Index) cover(terms []text.Term, holds func(stem string) float64) (share float64, missing []text.Term) {
	var covered, all float64
	for _, t := range terms {
		w := ix.Weight(t)
		all += w
		held := holds(t.Stem)
		covered += held * w
		if held == 0 {
			missing = append(missing, t)
		}
	}
	if all == 0 {
		return 0, missing
	}
	return covered / all, missing
}

package knowledge

import (
	"math"
	"slices"
	"strings"

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
	postings map[string][]posting
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

type posting struct {
	passage int32
	tf      [fields]uint16
}

// Build makes an index of passages.
func Build(analyzer *text.Analyzer, passages []Passage) *Index {
	ix := &Index{analyzer: analyzer, passages: make([]entry, len(passages)), postings: map[string][]posting{}}
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
			ix.postings[stem] = append(ix.postings[stem], posting{int32(i), *tf})
		}
		for f := range e.lengths {
			ix.meanLen[f] += float64(e.lengths[f]) / float64(len(passages))
		}
	}
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
	n, df := float64(len(ix.passages)), float64(len(ix.postings[stem]))
	return math.Log(1 + (n-df+0.5)/(df+0.5))
}

// Knows reports whether any passage holds the stem.
func (ix *Index) Knows(stem string) bool { return len(ix.postings[stem]) > 0 }

// A Hit is a passage that shares words with a query.
type Hit struct {
	Passage
	Score float64 // BM25 over fields; comparable within one search only
	entry *entry
}

// Search returns the n best passages for the terms, best first.
func (ix *Index) Search(terms []text.Term, n int) []Hit {
	scores := map[int32]float64{}
	for _, t := range terms {
		rarity := ix.Rarity(t.Stem)
		if t.Light {
			rarity *= lightWeight
		}
		for _, p := range ix.postings[t.Stem] {
			tf := 0.0
			for f, count := range p.tf {
				if count > 0 {
					length := float64(ix.passages[p.passage].lengths[f])
					tf += fieldWeight[f] * float64(count) / (1 - lengthNorm + lengthNorm*length/ix.meanLen[f])
				}
			}
			scores[p.passage] += rarity * tf / (saturation + tf)
		}
	}
	hits := make([]Hit, 0, len(scores))
	for i, score := range scores {
		e := &ix.passages[i]
		hits = append(hits, Hit{e.Passage, score, e})
	}
	slices.SortFunc(hits, func(a, b Hit) int {
		if a.Score != b.Score {
			if a.Score > b.Score {
				return -1
			}
			return 1
		}
		return strings.Compare(a.ID, b.ID)
	})
	return hits[:min(n, len(hits))]
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

package knowledge

import (
	"math"
	"math/bits"
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
	inAsked
	inBody
	fields
)

var fieldWeight = [fields]float64{inQuestion: 2.5, inTrail: 1.8, inAsked: 0.25, inBody: 1}

// A segment is a part of an index. It does not change once built.
type segment struct {
	passages   []Passage
	postings   map[string][]posting // by stem
	vocabulary *text.Vocabulary
	timed      bool // some passages hold for a time

	sources  []string // ids of the sources that its passages are of
	sourceOf []int32  // of each passage, its place in sources

	// Views of all passages, one after another.
	dim       int
	codes     []byte
	signs     []uint64 // of each view, where there are many
	gists     []uint64 // of each passage: the signs that most of its views have
	of        []int32  // the passage of each view
	firstView []int32  // of each passage, and of what comes after the last
}

// A posting is a passage that holds a stem, and how much of the stem's rarity it
// earns, from 0 to 1.
type posting struct {
	passage int32
	earns   float32
}

func newSegment(analyzer *text.Analyzer, passages []Passage) *segment {
	s := &segment{passages: passages, postings: map[string][]posting{}}
	at := map[string]int32{}
	for i := range passages {
		passages[i].Tokens = nil
		id := passages[i].SourceID
		if _, known := at[id]; !known {
			at[id] = int32(len(s.sources))
			s.sources = append(s.sources, id)
		}
		s.sourceOf = append(s.sourceOf, at[id])
	}
	type count struct {
		passage int32
		tf      [fields]uint16
	}
	type word struct {
		stem  int32 // its list of counts; -1: carries no meaning
		times int32
		named int32 // of these, with a capital in mid sentence
	}
	words := map[string]*word{}
	stems := map[string]int32{}
	var counts [][]count
	lengths := make([][fields]uint16, len(passages))
	var mean [fields]float64
	for i := range passages {
		p := &passages[i]
		s.timed = s.timed || !p.From.IsZero() || !p.Until.IsZero()
		add := func(f field, content string) {
			for w := range text.EachWord(content) {
				known := words[w.Folded]
				if known == nil {
					known = &word{stem: -1}
					words[strings.Clone(w.Folded)] = known
					if !analyzer.IsStop(content[w.Start:w.End], w.Folded) {
						stem := analyzer.Stem(w.Folded)
						at, ok := stems[stem]
						if !ok {
							at = int32(len(counts))
							stems[stem] = at
							counts = append(counts, nil)
						}
						known.stem = at
					}
				}
				known.times++
				if text.IsNamed(content, w) {
					known.named++
				}
				if known.stem < 0 {
					continue
				}
				list := counts[known.stem]
				if len(list) == 0 || list[len(list)-1].passage != int32(i) {
					list = append(list, count{passage: int32(i)})
					counts[known.stem] = list
				}
				list[len(list)-1].tf[f]++
				lengths[i][f]++
			}
		}
		add(inQuestion, p.Question)
		for _, heading := range p.Trail {
			add(inTrail, heading)
		}
		for _, asked := range p.Asked {
			add(inAsked, asked)
		}
		add(inBody, p.Text)
		for f, n := range lengths[i] {
			mean[f] += float64(n) / float64(len(passages))
		}
	}
	for stem, at := range stems {
		list := counts[at]
		postings := make([]posting, len(list))
		for i, c := range list {
			tf := 0.0
			for f, n := range c.tf {
				if n > 0 {
					tf += fieldWeight[f] * float64(n) / (1 - lengthNorm + lengthNorm*float64(lengths[c.passage][f])/mean[f])
				}
			}
			postings[i] = posting{c.passage, float32(tf / (saturation + tf))}
		}
		s.postings[stem] = postings
		counts[at] = nil
	}
	times, names := make(map[string]int32, len(words)), map[string]bool{}
	for w, known := range words {
		times[w] = known.times
		if 2*known.named >= known.times {
			names[w] = true
		}
	}
	s.vocabulary = text.NewVocabulary(times).WithNames(names)
	s.takeViews()
	return s
}

// within returns the passages of the sources that a scope has, or that it has all.
func (s *segment) within(scope Scope) (list []int32, all bool) {
	has, all := make([]bool, len(s.sources)), true
	for i, id := range s.sources {
		has[i] = scope.has(id)
		all = all && has[i]
	}
	if all {
		return nil, true
	}
	for i, source := range s.sourceOf {
		if has[source] {
			list = append(list, int32(i))
		}
	}
	return list, false
}

// takeViews moves the codes of the passages into lists that are quick to go
// through.
func (s *segment) takeViews() {
	total := 0
	for i := range s.passages {
		for _, code := range s.passages[i].Views {
			if s.dim == 0 {
				s.dim = code.dim()
			}
		}
		total += len(s.passages[i].Views)
	}
	if s.dim == 0 {
		return
	}
	s.codes = make([]byte, 0, total*(scaleBytes+s.dim/2))
	many := total > exactly // fewer are compared exactly at once
	if many {
		s.signs = make([]uint64, 0, total*s.dim/64)
		s.gists = make([]uint64, 0, len(s.passages)*s.dim/64)
	}
	s.of = make([]int32, 0, total)
	s.firstView = make([]int32, 0, len(s.passages)+1)
	for i := range s.passages {
		s.firstView = append(s.firstView, int32(len(s.of)))
		for _, code := range s.passages[i].Views {
			if code.dim() != s.dim {
				continue // of another model: it joins when it is encoded anew
			}
			s.codes = append(s.codes, code...)
			if many {
				s.signs = code.signs(s.signs)
			}
			s.of = append(s.of, int32(i))
		}
		if many {
			s.gists = gist(s.signs[int(s.firstView[i])*s.dim/64:], s.dim/64, s.gists)
		}
		s.passages[i].Views = nil
	}
	s.firstView = append(s.firstView, int32(len(s.of)))
}

// gist appends the signs that most of some views have: their signs, words of 64
// each, are counted in planes of bits. Of no views there are none.
func gist(signs []uint64, words int, into []uint64) []uint64 {
	views := len(signs) / max(words, 1)
	// Counts begin so high that the top plane is set from one more than half on.
	top := bits.Len(uint(views))
	begin := 1<<top - (views/2 + 1)
	var planes [32]uint64
	for w := range words {
		for p := range top + 1 {
			planes[p] = -uint64(begin >> p & 1)
		}
		for v := range views {
			carry := signs[v*words+w]
			for p := 0; carry != 0; p++ {
				planes[p], carry = planes[p]^carry, planes[p]&carry
			}
		}
		into = append(into, planes[top])
	}
	return into
}

// code returns one view.
func (s *segment) code(view int32) Code {
	size := scaleBytes + s.dim/2
	return Code(s.codes[int(view)*size : (int(view)+1)*size])
}

// views returns the codes of one passage.
func (s *segment) views(passage int32) []Code {
	if s.dim == 0 {
		return nil
	}
	var codes []Code
	for v := s.firstView[passage]; v < s.firstView[passage+1]; v++ {
		codes = append(codes, s.code(v))
	}
	return codes
}

// rarity weighs a stem by how few of n passages hold it (BM25's idf).
func rarity(n, holders int) float64 {
	return math.Log(1 + (float64(n)-float64(holders)+0.5)/(float64(holders)+0.5))
}

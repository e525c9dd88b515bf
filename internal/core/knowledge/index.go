package knowledge

import (
	"cmp"
	"runtime"
	"slices"
	"sync"
	"time"

	"urgentparrot.example/internal/core/text"
)

// An Index finds passages by their words and by their meaning. It does not
// change: Change makes a new one that shares what is the same, so any number of
// goroutines may search while another changes.
type Index struct {
	analyzer *text.Analyzer
	segments []*segment
	dead     []map[int32]struct{} // by segment: passages that were removed
	size     int
}

// segmentSize is how many passages are built into one segment at most, when an
// index is built anew.
const segmentSize = 60_000

// Build makes an index of passages.
func Build(analyzer *text.Analyzer, passages []Passage) *Index {
	b := Builder{Analyzer: analyzer}
	parts := max(1, (len(passages)+segmentSize-1)/segmentSize)
	if len(passages) > 4_000 {
		parts = max(parts, min(2, runtime.GOMAXPROCS(0)))
	}
	var building sync.WaitGroup
	for i := range parts {
		building.Go(func() { b.Add(passages[i*len(passages)/parts : (i+1)*len(passages)/parts]) })
	}
	building.Wait()
	return b.Index()
}

// A Builder makes an index of passages that come in parts. Parts may be added by
// several goroutines at once.
type Builder struct {
	Analyzer *text.Analyzer

	mu       sync.Mutex
	segments []*segment
}

// Add adds a part. Few large parts make a faster index than many small ones.
func (b *Builder) Add(part []Passage) {
	if len(part) == 0 {
		return
	}
	s := newSegment(b.Analyzer, slices.Clone(part))
	b.mu.Lock()
	defer b.mu.Unlock()
	b.segments = append(b.segments, s)
}

// Index returns the index of all that was added.
func (b *Builder) Index() *Index {
	b.mu.Lock()
	defer b.mu.Unlock()
	ix := &Index{analyzer: b.Analyzer, segments: slices.Clone(b.segments)}
	if len(ix.segments) == 0 {
		ix.segments = []*segment{newSegment(b.Analyzer, nil)}
	}
	for _, s := range ix.segments {
		ix.size += len(s.passages)
	}
	ix.dead = make([]map[int32]struct{}, len(ix.segments))
	return ix
}

// mostSegments is how many segments there may be before small ones are joined.
const mostSegments = 8

// Change returns an index without the passages that remove chooses, and with
// others added. It takes time in proportion to what is added, and to what was
// added lately.
func (ix *Index) Change(remove func(*Passage) bool, add []Passage) *Index {
	next := &Index{analyzer: ix.analyzer}
	for i, s := range ix.segments {
		dead := ix.dead[i]
		copied := false
		alive := 0
		for j := range s.passages {
			if _, gone := dead[int32(j)]; gone {
				continue
			}
			if remove == nil || !remove(&s.passages[j]) {
				alive++
				continue
			}
			if !copied {
				fresh := make(map[int32]struct{}, len(dead)+1)
				for k := range dead {
					fresh[k] = struct{}{}
				}
				dead, copied = fresh, true
			}
			dead[int32(j)] = struct{}{}
		}
		if alive > 0 {
			next.segments, next.dead = append(next.segments, s), append(next.dead, dead)
			next.size += alive
		}
	}
	if len(add) > 0 {
		next.segments, next.dead = append(next.segments, newSegment(ix.analyzer, slices.Clone(add))), append(next.dead, nil)
		next.size += len(add)
	}
	if len(next.segments) > mostSegments {
		next.join()
	}
	if len(next.segments) == 0 {
		return Build(ix.analyzer, nil)
	}
	return next
}

// join makes one segment of all that are small beside the largest.
func (ix *Index) join() {
	largest := 0
	for _, s := range ix.segments {
		largest = max(largest, len(s.passages))
	}
	var passages []Passage
	var segments []*segment
	var dead []map[int32]struct{}
	for i, s := range ix.segments {
		if len(s.passages) > largest/4 && len(ix.segments) > 1 && len(s.passages) > 2_000 {
			segments, dead = append(segments, s), append(dead, ix.dead[i])
			continue
		}
		for j := range s.passages {
			if _, gone := ix.dead[i][int32(j)]; !gone {
				p := s.passages[j]
				p.Views = s.views(int32(j))
				passages = append(passages, p)
			}
		}
	}
	ix.segments, ix.dead = append(segments, newSegment(ix.analyzer, passages)), append(dead, nil)
}

// Len returns the number of passages.
func (ix *Index) Len() int { return ix.size }

// All returns the passages that a scope allows, in no order; nil if there are more than
// most, or none.
func (ix *Index) All(scope Scope, most int) (hits []Hit) {
	if ix.size > 4*most+mostDead {
		return nil
	}
	for i, s := range ix.segments {
		for j := range s.passages {
			if _, gone := ix.dead[i][int32(j)]; gone || !scope.Allows(&s.passages[j]) {
				continue
			}
			if len(hits) == most {
				return nil
			}
			hits = append(hits, Hit{Passage: s.passages[j], segment: s, at: int32(j)})
		}
	}
	return hits
}

// mostDead is how many passages out of scope are gone through to list a few.
const mostDead = 1_000

// Timed reports whether some passages hold for a time only: then what is found
// depends on when.
func (ix *Index) Timed() bool {
	return slices.ContainsFunc(ix.segments, func(s *segment) bool { return s.timed })
}

// Analyzer returns the analyzer that the index was built with.
func (ix *Index) Analyzer() *text.Analyzer { return ix.analyzer }

// holders counts the passages that hold a stem; removed ones may count for a
// while.
func (ix *Index) holders(stem string) (n int) {
	for _, s := range ix.segments {
		n += len(s.postings[stem])
	}
	return n
}

// Rarity weighs a stem by how few passages hold it, as BM25 does; a stem that no
// passage holds is the rarest.
func (ix *Index) Rarity(stem string) float64 { return rarity(ix.size, min(ix.holders(stem), ix.size)) }

// Knows reports whether any passage holds the stem.
func (ix *Index) Knows(stem string) bool { return ix.holders(stem) > 0 }

// Share is the share of the passages that hold a stem, 0 to 1.
func (ix *Index) Share(stem string) float64 {
	if ix.size == 0 {
		return 0
	}
	return min(float64(ix.holders(stem))/float64(ix.size), 1)
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

// A Scope says which passages may be used.
type Scope struct {
	Sources map[string]int  // ids of sources that may be used, with their place in the order of precedence; nil: all
	Without map[string]bool // ids of sources that may not be used, where all others may
	Now     time.Time       // for passages that hold for a time; zero: all do
	For     []string        // whose passages may be used that are only somebody's
}

// has reports whether a source may be used.
func (s Scope) has(source string) bool {
	if s.Sources != nil {
		if _, ok := s.Sources[source]; !ok {
			return false
		}
	}
	return !s.Without[source]
}

// Allows reports whether a passage may be used.
func (s Scope) Allows(p *Passage) bool {
	return s.has(p.SourceID) && s.holds(p)
}

// holds reports whether a passage holds now, for whoever looks for it.
func (s Scope) holds(p *Passage) bool {
	if p.Only != "" && !slices.Contains(s.For, p.Only) {
		return false
	}
	return s.Now.IsZero() || (p.From.IsZero() || !s.Now.Before(p.From)) && (p.Until.IsZero() || s.Now.Before(p.Until))
}

// A Hit is a passage that was found.
type Hit struct {
	Passage
	Score   float64 // by words: BM25 over fields; comparable within one search only
	segment *segment
	at      int32
}

// A Want is what a passage should hold: any of its alternatives, the best of
// which counts.
type Want []Alternative

// An Alternative is a stem and what it is worth beside the word that was asked
// for, from 0 to 1.
type Alternative struct {
	Stem  string
	Worth float64
}

// common is the share of passages above which a stem is not worth the time of
// going through them, if they are many.
const (
	common     = 0.2
	manyHolder = 4_000
)

// ByWords returns the n passages that hold most of what is wanted, best first.
func (ix *Index) ByWords(wants []Want, scope Scope, n int) []Hit {
	best := top[hitRef]{n: n}
	for i, s := range ix.segments {
		sum, group := scratches.Get().(*scratch), scratches.Get().(*scratch)
		sum.reset(len(s.passages))
		for _, want := range wants {
			group.reset(len(s.passages))
			for _, a := range want {
				postings := s.postings[a.Stem]
				if len(postings) > manyHolder && float64(len(postings)) > common*float64(len(s.passages)) {
					continue
				}
				worth := float32(a.Worth * ix.Rarity(a.Stem))
				for _, p := range postings {
					group.raise(p.passage, worth*p.earns)
				}
			}
			for _, at := range group.touched {
				sum.raise(at, sum.scores[at]+group.scores[at])
			}
		}
		for _, at := range sum.touched {
			score := float64(sum.scores[at])
			if !best.takes(score) {
				continue
			}
			if _, gone := ix.dead[i][at]; !gone && scope.Allows(&s.passages[at]) {
				best.add(hitRef{s, at}, score)
			}
		}
		scratches.Put(sum)
		scratches.Put(group)
	}
	hits := make([]Hit, 0, len(best.items))
	for _, item := range best.sorted() {
		hits = append(hits, Hit{item.value.segment.passages[item.value.at], item.score, item.value.segment, item.value.at})
	}
	return hits
}

type hitRef struct {
	segment *segment
	at      int32
}

// Score returns what a passage earns by words, as ByWords does.
func (ix *Index) Score(h Hit, wants []Want) (score float64) {
	for _, want := range wants {
		best := 0.0
		for _, a := range want {
			list := h.segment.postings[a.Stem]
			if at, ok := slices.BinarySearchFunc(list, h.at, func(p posting, at int32) int { return cmp.Compare(p.passage, at) }); ok {
				best = max(best, a.Worth*ix.Rarity(a.Stem)*float64(list[at].earns))
			}
		}
		score += best
	}
	return score
}

// A scratch holds the scores of one search.
type scratch struct {
	scores  []float32
	touched []int32
}

var scratches = sync.Pool{New: func() any { return new(scratch) }}

func (s *scratch) reset(n int) {
	for _, i := range s.touched {
		s.scores[i] = 0
	}
	s.touched = s.touched[:0]
	if len(s.scores) < n {
		s.scores = make([]float32, n)
	}
}

// raise sets a score if it is higher than the one before.
func (s *scratch) raise(at int32, score float32) {
	if score <= s.scores[at] {
		return
	}
	if s.scores[at] == 0 {
		s.touched = append(s.touched, at)
	}
	s.scores[at] = score
}

// Same reports whether two hits are of the same passage.
func (h Hit) Same(o Hit) bool { return h.Place() == o.Place() }

// A Place is where a passage lies in the index: no other lies there.
type Place struct {
	segment *segment
	at      int32
}

// Place returns that of the passage.
func (h Hit) Place() Place { return Place{h.segment, h.at} }

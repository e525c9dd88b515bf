package knowledge

import "math/bits"

// A Meaning is a question's vector, ready to be compared with passages. The zero
// Meaning is like nothing.
type Meaning struct {
	target *target
	dim    int
}

// NewMeaning prepares a unit vector; nil gives the zero Meaning.
func NewMeaning(vector []float32) Meaning {
	if len(vector) == 0 {
		return Meaning{}
	}
	return Meaning{newTarget(vector), len(vector)}
}

// One of so many distances is counted, to see how they spread: those at the
// beginning of each stretch, so that memory is gone through in order.
const (
	sample  = 16
	stretch = 2_048
)

// How many views are compared exactly; how many by all their signs, at least and
// as a share of all.
const (
	exactly    = 600
	bySigns    = 4_000
	bySignsOne = 80
)

// ByMeaning returns the n passages with the views that are most like the
// question, best first. Of many views the signs are compared first: of those
// with the most in common the exact likeness is taken.
func (ix *Index) ByMeaning(m Meaning, scope Scope, n int) []Hit {
	if m.target == nil {
		return nil
	}
	best := top[hitRef]{n: n}
	views := 1
	for _, s := range ix.segments {
		views += len(s.of)
	}
	for i, s := range ix.segments {
		if s.dim != m.dim {
			continue
		}
		found := scratches.Get().(*scratch)
		found.reset(len(s.passages))
		for _, view := range s.near(m.target, max(exactly*len(s.of)/views, exactly/4)) {
			// Scores of 0 mean "not met", so likenesses from -1 to 1 are kept above it.
			found.raise(s.of[view], float32(m.target.dot(s.code(view)))+2)
		}
		for _, at := range found.touched {
			score := float64(found.scores[at]) - 2
			if _, gone := ix.dead[i][at]; best.takes(score) && !gone && scope.Allows(&s.passages[at]) {
				best.add(hitRef{s, at}, score)
			}
		}
		scratches.Put(found)
	}
	hits := make([]Hit, 0, len(best.items))
	for _, item := range best.sorted() {
		hits = append(hits, Hit{item.value.segment.passages[item.value.at], 0, item.value.segment, item.value.at})
	}
	return hits
}

// near returns the n views whose signs have the most in common with the target's;
// of few views, all.
func (s *segment) near(t *target, n int) []int32 {
	views := len(s.of)
	if views <= exactly {
		all := make([]int32, views)
		for i := range all {
			all[i] = int32(i)
		}
		return all
	}
	t.hurry()
	words := s.dim / 64
	a, b := t.bits[0], t.bits[1]
	// How the distances spread is seen from a sample; then all that are near enough
	// are taken in one go.
	var counts [129]int
	for v := 0; v < views; v += stretch {
		for _, signs := range s.coarse[v:min(v+stretch/sample, views)] {
			counts[bits.OnesCount64(signs[0]^a)+bits.OnesCount64(signs[1]^b)] += sample
		}
	}
	wanted, limit := max(bySigns, views/bySignsOne), 0
	for below := counts[0]; limit < len(counts)-1 && below < wanted; below += counts[limit] {
		limit++
	}
	kept := make([]int32, 0, wanted+wanted/2)
	for v := range s.coarse {
		if signs := &s.coarse[v]; bits.OnesCount64(signs[0]^a)+bits.OnesCount64(signs[1]^b) <= limit {
			kept = append(kept, int32(v))
		}
	}
	if len(kept) <= n {
		return kept
	}
	finer := make([]uint16, len(kept))
	all := make([]int, s.dim+1)
	for i, v := range kept {
		signs, near := s.signs[int(v)*words:int(v+1)*words], t.bits
		d := 0
		for ; len(signs) >= 4 && len(near) >= 4; signs, near = signs[4:], near[4:] {
			d += bits.OnesCount64(signs[0]^near[0]) + bits.OnesCount64(signs[1]^near[1]) + bits.OnesCount64(signs[2]^near[2]) + bits.OnesCount64(signs[3]^near[3])
		}
		for w := range min(len(signs), len(near)) {
			d += bits.OnesCount64(signs[w] ^ near[w])
		}
		finer[i] = uint16(d)
		all[d]++
	}
	chosen := nearest(finer, all, n)
	for i, at := range chosen {
		chosen[i] = kept[at]
	}
	return chosen
}

// nearest returns the places of the n smallest distances, of which there are about
// so many of each; of equal ones at the edge the first.
func nearest(distances []uint16, counts []int, n int) []int32 {
	limit, below := 0, 0
	for limit < len(counts)-1 && below+counts[limit] < n {
		below += counts[limit]
		limit++
	}
	edge := n - below
	kept := make([]int32, 0, n+n/4)
	for i, d := range distances {
		switch {
		case int(d) < limit:
			kept = append(kept, int32(i))
		case int(d) == limit && edge > 0:
			edge--
			kept = append(kept, int32(i))
		}
	}
	return kept
}

// A Likeness says how like a question the parts of a passage are, each from -1
// to 1.
type Likeness struct {
	Heading   float64   // its question or headings
	Whole     float64   // all of its text
	Sentences []float64 // each of its sentences
}

// Likeness compares a passage with the question; the zero Likeness while its
// vectors are not known.
func (m Meaning) Likeness(h Hit) (l Likeness) {
	if m.target == nil || h.segment == nil || h.segment.dim != m.dim {
		return l
	}
	for i, code := range h.segment.views(h.at) {
		switch like := m.target.dot(code); i {
		case 0:
			l.Heading = like
		case 1:
			l.Whole = like
		default:
			l.Sentences = append(l.Sentences, like)
		}
	}
	return l
}

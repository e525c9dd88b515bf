package knowledge

import "math/bits"

// An Aim is a question's vector, ready to be compared with passages. The zero
// Aim is like nothing.
type Aim struct {
	target *target
	dim    int
}

// NewAim prepares a unit vector; nil gives the zero Aim.
func NewAim(vector []float32) Aim {
	if len(vector) == 0 {
		return Aim{}
	}
	return Aim{newTarget(vector), len(vector)}
}

// Known reports whether there is anything to compare with.
func (a Aim) Known() bool { return a.target != nil }

// How many views are compared exactly; of how many passages all views are compared
// by their signs, at least and as a share of all.
const (
	exactly    = 600
	closer     = 1_500
	closerOnly = 40
)

// ByMeaning returns the n passages with the views that are most like the
// question, best first. Of many passages the gists are compared first, of those
// with the most in common the signs of all views, and of the best of these the
// exact likeness.
func (ix *Index) ByMeaning(a Aim, scope Scope, n int) []Hit {
	if a.target == nil {
		return nil
	}
	best := top[hitRef]{n: n}
	views := 1
	for _, s := range ix.segments {
		views += len(s.of)
	}
	for i, s := range ix.segments {
		if s.dim != a.dim {
			continue
		}
		found := scratches.Get().(*scratch)
		found.reset(len(s.passages))
		for _, view := range s.near(a.target, max(exactly*len(s.of)/views, exactly/4)) {
			// Scores of 0 mean "not met", so likenesses from -1 to 1 are kept above it.
			found.raise(s.of[view], float32(a.target.dot(s.code(view)))+2)
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

// near returns the n views whose signs have the most in common with the target's,
// of the passages whose gists do; all where there are few.
func (s *segment) near(t *target, n int) []int32 {
	if views := len(s.of); views <= n || len(s.signs) == 0 {
		all := make([]int32, views)
		for i := range all {
			all[i] = int32(i)
		}
		return all
	}
	t.hurry()
	words := s.dim / 64
	var views []int32
	var distances []uint16
	counts := make([]int, s.dim+1)
	for _, passage := range s.nearPassages(t) {
		first, last := s.firstView[passage], s.firstView[passage+1]
		from := len(views)
		for v := first; v < last; v++ {
			views, distances = append(views, v), append(distances, 0)
		}
		apart(s.signs[int(first)*words:int(last)*words], t.bits, distances[from:])
		for _, d := range distances[from:] {
			counts[d]++
		}
	}
	if len(views) <= n {
		return views
	}
	chosen := nearest(distances, counts, n)
	for i, at := range chosen {
		chosen[i] = views[at]
	}
	return chosen
}

// nearPassages returns the passages whose gists have the most in common with the
// target's signs: about one in closerOnly, of few all.
func (s *segment) nearPassages(t *target) []int32 {
	distances, counts := make([]uint16, len(s.passages)), make([]int, s.dim+1)
	apart(s.gists[:len(distances)*s.dim/64], t.bits, distances)
	for _, d := range distances {
		counts[d]++
	}
	return nearest(distances, counts, min(max(closer, len(distances)/closerOnly), len(distances)))
}

// apartPlain is apart in plain Go.
func apartPlain(signs, from []uint64, into []uint16) {
	for i := range into {
		d := 0
		for k, word := range signs[i*len(from) : (i+1)*len(from)] {
			d += bits.OnesCount64(word ^ from[k])
		}
		into[i] = uint16(d)
	}
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
	Asked     float64   // the nearest of the questions that it is said to answer; 0 if there are none
}

// Likeness compares a passage with the question; the zero Likeness while its
// vectors are not known.
func (a Aim) Likeness(h Hit) (l Likeness) {
	if a.target == nil || h.segment == nil || h.segment.dim != a.dim {
		return l
	}
	views := h.segment.views(h.at)
	asked := len(views) - len(h.Asked)
	for i, code := range views {
		switch like := a.target.dot(code); {
		case i == 0:
			l.Heading = like
		case i == 1:
			l.Whole = like
		case i >= asked:
			l.Asked = max(l.Asked, like)
		default:
			l.Sentences = append(l.Sentences, like)
		}
	}
	return l
}

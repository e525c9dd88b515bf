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
// exact likeness. What the scope has not is not compared, so that it hides nothing
// of what it has.
func (ix *Index) ByMeaning(a Aim, scope Scope, n int) []Hit {
	if a.target == nil {
		return nil
	}
	best := top[hitRef]{n: n}
	within, views := make([]selection, len(ix.segments)), 1
	for i, s := range ix.segments {
		if s.dim == a.dim {
			within[i] = s.selected(scope)
			views += within[i].views
		}
	}
	for i, s := range ix.segments {
		if within[i].views == 0 {
			continue
		}
		found := scratches.Get().(*scratch)
		found.reset(len(s.passages))
		for _, view := range s.near(a.target, within[i], max(exactly*within[i].views/views, exactly/4)) {
			// Scores of 0 mean "not met", so likenesses from -1 to 1 are kept above it.
			found.raise(s.of[view], float32(a.target.dot(s.code(view)))+2)
		}
		for _, at := range found.touched {
			score := float64(found.scores[at]) - 2
			if _, gone := ix.dead[i][at]; best.takes(score) && !gone && scope.holds(&s.passages[at]) {
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

// A selection is the passages of a segment that a scope has.
type selection struct {
	all   bool
	list  []int32 // unless it is all
	views int     // that they have together
}

func (s *segment) selected(scope Scope) (sel selection) {
	if sel.list, sel.all = s.within(scope); sel.all {
		sel.views = len(s.of)
		return sel
	}
	for _, p := range sel.list {
		sel.views += int(s.firstView[p+1] - s.firstView[p])
	}
	return sel
}

// near returns the n views of some passages whose signs have the most in common with the
// target's, of the passages whose gists do; all where there are few.
func (s *segment) near(t *target, of selection, n int) []int32 {
	if of.views <= n || len(s.signs) == 0 {
		every := make([]int32, 0, of.views)
		if of.all {
			for i := range of.views {
				every = append(every, int32(i))
			}
		}
		for _, p := range of.list {
			for v := s.firstView[p]; v < s.firstView[p+1]; v++ {
				every = append(every, v)
			}
		}
		return every
	}
	words := s.dim / 64
	var views []int32
	var distances []uint16
	counts := make([]int, s.dim+1)
	for _, passage := range s.nearPassages(t, of) {
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

// nearPassages returns the passages, of some, whose gists have the most in common with the
// target's signs: about one in closerOnly, of few all.
func (s *segment) nearPassages(t *target, of selection) []int32 {
	many, words := len(s.passages), s.dim/64
	if !of.all {
		many = len(of.list)
	}
	distances, counts := make([]uint16, many), make([]int, s.dim+1)
	if of.all {
		apart(s.gists[:many*words], t.bits, distances)
	}
	for i, p := range of.list {
		apart(s.gists[int(p)*words:int(p+1)*words], t.bits, distances[i:i+1])
	}
	for _, d := range distances {
		counts[d]++
	}
	chosen := nearest(distances, counts, min(max(closer, many/closerOnly), many))
	for i, at := range chosen {
		if !of.all {
			chosen[i] = of.list[at]
		}
	}
	return chosen
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

package answer

import "urgentparrot.example/internal/core/text"

// A Reply is one thing that a message asks, what was found for it, and what is
// said to it.
type Reply struct {
	Part
	Found
	Words string // "" where nothing is known well enough
}

// Answer replies to each thing that a message asks, from the passages, within
// limit runes each (0: no limit). previous is the question before, "" if none.
func (f Finder) Answer(message, previous string, threshold float64, limit int) (replies []Reply) {
	parts := Split(message)
	asked := false
	for _, p := range parts {
		asked = asked || p.Kind == Question
	}
	for _, p := range parts {
		if p.Kind != Question && (p.Kind != Statement || !f.Asks(p.Text)) {
			continue
		}
		r := Reply{Part: p, Found: f.Find(p.Text, previous)}
		if len(r.Candidates) > 0 && r.Candidates[0].Confidence >= threshold {
			r.Words = r.Candidates[0].Words(limit)
		} else if p.Kind == Statement && asked {
			continue // what only goes with a question need not be answered
		}
		previous = p.Text
		replies = append(replies, r)
	}
	return replies
}

// Asks reports whether a statement may want an answer: it has telling words.
func (f Finder) Asks(statement string) bool {
	telling := 0
	for _, t := range f.Index.Analyzer().Telling(statement) {
		if !t.Light {
			telling++
		}
	}
	return telling >= 2 || telling == 1 && f.knowsAny(f.Index.Analyzer().Telling(statement))
}

func (f Finder) knowsAny(terms []text.Term) bool {
	for _, t := range terms {
		if !t.Light && f.Index.Knows(t.Stem) {
			return true
		}
	}
	return false
}

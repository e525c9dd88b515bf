package answer

import (
	"context"

	"urgentparrot.example/internal/core/text"
)

// A Reply is one thing that a message asks, what was found for it, and what is
// said to it.
type Reply struct {
	Part
	Found
	Words string // "" where nothing is known well enough
}

// Reply looks for the answer to one thing that a message asks. It is quoted from
// the best passage, within limit runes (0: no limit), if that is known with the
// confidence of the threshold. previous is the question before, "" if none.
func (f Finder) Reply(ctx context.Context, asked Part, previous string, threshold float64, limit int) Reply {
	r := Reply{Part: asked, Found: f.Find(ctx, asked.Text, previous)}
	if len(r.Candidates) > 0 && r.Candidates[0].Confidence >= threshold {
		r.Words = r.Candidates[0].Words(limit)
	}
	return r
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

package answer

import (
	"context"
	"strings"

	"urgentparrot.example/internal/core/text"
)

// A Reply is one thing that a message asks, what was found for it, and what is
// said to it.
type Reply struct {
	Part
	Found
	Words string      // the answer; "" where nothing is known well enough
	Offer []Candidate // what may be meant, where there is no answer but something likely: one, or some to choose from
}

// Bars are how sure a bot must be: of the first passage to answer from it, and that one
// of the first is right to offer what was found. Each lies between 0 and 1.
type Bars struct{ Answer, Offer float64 }

// Reply looks for the answer to one thing that a message asks. It is quoted from
// the best passage, within limit runes (0: no limit), if that is known well enough;
// else what may be meant is offered, if that is likely enough. previous is the question
// before, "" if none.
func (f Finder) Reply(ctx context.Context, asked Part, previous string, bars Bars, limit int) Reply {
	found := f.Find(ctx, asked, previous)
	return found.Reply(asked, bars, limit)
}

// Reply decides on what was found: an answer, an offer, or neither.
func (f Found) Reply(asked Part, bars Bars, limit int) Reply {
	r := Reply{Part: asked, Found: f}
	switch {
	case len(r.Candidates) == 0:
	case r.Candidates[0].Confidence >= bars.Answer:
		r.Words = r.Candidates[0].Words(limit)
	case r.Likely >= bars.Offer:
		r.Offer = r.offered()
	}
	return r
}

// How many are offered at most; how much likelier than all others the first must be to be
// offered alone; and how unlikely, beside the first, one may be that is offered with it.
const (
	choices  = 3
	alone    = 0.75
	unlikely = 0.02
)

// offered picks what is offered: of the first few those whose labels differ, and that say
// something else than the first.
func (f Found) offered() (offer []Candidate) {
	first := f.Candidates[0]
	for _, c := range f.Candidates {
		switch {
		case len(offer) == choices:
			return offer
		case len(offer) > 0 && (first.Features.Best >= alone || c.Features.Best < unlikely*first.Features.Best):
			return offer
		case c.Label() == "" || labelled(offer, c.Label()) || c.echoes && len(offer) > 0:
			continue
		}
		offer = append(offer, c)
	}
	if len(offer) == 0 {
		return f.Candidates[:1]
	}
	return offer
}

func labelled(offer []Candidate, label string) bool {
	for _, c := range offer {
		if strings.EqualFold(c.Label(), label) {
			return true
		}
	}
	return false
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

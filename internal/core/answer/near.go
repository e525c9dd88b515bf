package answer

import (
	"context"
	"slices"
	"strings"

	"urgentparrot.example/internal/core/encoder"
	"urgentparrot.example/internal/core/text"
)

// Nearness is how near a question is to the examples by which a tool, or a matter of the
// brief, is named, beside what is known.
type Nearness struct {
	Meaning, Match, Words float64 // of the nearest example, each by itself
	All                   float64 // of the nearest, taken together
	Known, KnownMatch     float64 // of the nearest passage
	Nearest               string  // the nearest example
}

// Near holds a part of a message, for which this was found, against examples.
func (f Finder) Near(ctx context.Context, asked Part, found Found, examples []string) (n Nearness) {
	forms := []string{found.Mended}
	if asked.Around != "" {
		forms = append(forms, asked.Around)
	}
	nearest := 0.0
	for _, form := range forms {
		for i, l := range f.Likenesses(ctx, form, examples) {
			n.Meaning, n.Match, n.Words = max(n.Meaning, l.Meaning), max(n.Match, l.Match), max(n.Words, l.Words)
			n.All = max(n.All, l.Meaning+l.Match+l.Words)
			if all := l.All(); all > nearest {
				nearest, n.Nearest = all, examples[i]
			}
		}
	}
	for _, c := range found.Candidates {
		n.Known, n.KnownMatch = max(n.Known, c.Meaning), max(n.KnownMatch, c.Features.Match)
	}
	return n
}

// frameNear is how like its frame a question must be for that to be what makes it like an
// example, and subjectCounts how much liker than the frame the example must be.
const (
	frameNear     = 0.75
	subjectCounts = 0.1
)

// OnlyAsksLike reports whether a question is like an example only in how it asks, and not in
// what about: "how much is a ticket?" is so like "how much is a van?". It is not while the
// meaning of either is not known.
func (f Finder) OnlyAsksLike(ctx context.Context, asked, example string) bool {
	frame := f.frame(example)
	if frame == example {
		return false
	}
	like := f.Likenesses(ctx, asked, []string{example, frame})
	return like[1].Meaning > 0 && like[1].All() >= frameNear && like[0].All() < like[1].All()+subjectCounts
}

// frame is an example without what it is about: "How much is a something?". What the texts of
// the business speak of everywhere, and its names, stay.
func (f Finder) frame(example string) string {
	var b strings.Builder
	at := 0
	for _, t := range f.subjects(example) {
		if f.Index.Share(t.Stem) < everywhere {
			b.WriteString(example[at:t.Start] + somewhat)
			at = t.End
		}
	}
	return b.String() + example[at:]
}

// somewhat stands for what is taken out of an example.
const somewhat = "something"

// subjects are the words of an example that say what it is about, but for names.
func (f Finder) subjects(example string) []text.Term {
	terms := f.Index.Analyzer().Terms(example)
	return slices.DeleteFunc(terms, func(t text.Term) bool {
		return t.Stop || t.Light || slices.Contains(measures, t.Word) || f.Index.IsName(t.Word)
	})
}

// SharesSubject reports whether a question is like an example in what it is about too: less
// so without its rarest word ("Is it safe to travel when I am something?").
func (f Finder) SharesSubject(ctx context.Context, asked, example string) bool {
	about := f.subjects(example)
	if len(about) == 0 {
		return true
	}
	rarest := slices.MinFunc(about, func(a, b text.Term) int {
		return text.English().Times(a.Word) - text.English().Times(b.Word)
	})
	like := f.Likenesses(ctx, asked, []string{example, example[:rarest.Start] + somewhat + example[rarest.End:]})
	return like[0].All() >= like[1].All()
}

// wordsBeside is what shared words count beside meaning and tokens.
const wordsBeside = 0.3

// Examples is how near the examples are, all in all.
func (n Nearness) Examples() float64 { return Likeness{n.Meaning, n.Match, n.Words}.All() }

// Knowledge is how near the nearest passage is, in the same measure. While the tokens of passages
// are not known, they are taken to match as well as the meaning does.
func (n Nearness) Knowledge() float64 {
	if n.KnownMatch == 0 {
		return 2 * n.Known
	}
	return n.Known + n.KnownMatch
}

// Like returns how like a question is to the nearest of some examples, by words
// or by meaning, 0 to 1.
func (f Finder) Like(ctx context.Context, asked string, examples []string) (best float64) {
	for _, l := range f.Likenesses(ctx, asked, examples) {
		best = max(best, l.Meaning, l.Words)
	}
	return best
}

// Likeness is how like two questions are: by meaning (cosine), by their tokens (the best
// match of each, both ways), and by the telling words that they share (Dice), each 0 to 1.
type Likeness struct{ Meaning, Match, Words float64 }

// All is the likeness all in all.
func (l Likeness) All() float64 { return l.Meaning + l.Match + wordsBeside*l.Words }

// unlike is the likeness by meaning below which two texts are not compared by words.
const unlike = 0.25

// Likenesses compares a question with examples. By words it compares those only that
// may be alike by what is known of their meaning.
func (f Finder) Likenesses(ctx context.Context, asked string, examples []string) []Likeness {
	if len(examples) == 0 {
		return nil
	}
	question := f.meaning(ctx, asked)
	meant := question.vector
	likenesses := make([]Likeness, len(examples))
	var w *weigher
	for i, example := range examples {
		l := &likenesses[i]
		if like, ok := f.Lately.likeness(f.Index, asked, example); ok {
			*l = like
			continue
		}
		other := f.meaning(ctx, example)
		of := other.vector
		known := meant != nil && len(of) == len(meant)
		if known {
			l.Meaning = encoder.Cosine(of, meant)
		}
		tokens := question.asked != nil && other.asked != nil
		if !known || l.Meaning >= unlike {
			if tokens {
				l.Match = (question.asked.Match(other.asked.Tokens()) + other.asked.Match(question.asked.Tokens())) / 2
			}
			if w == nil {
				q := f.Lately.understood(f.Index, asked)
				w = &weigher{ix: f.Index, q: &q, analyzer: f.Index.Analyzer()}
			}
			l.Words = w.likeness(example)
		}
		if tokens {
			f.Lately.putLikeness(f.Index, asked, example, *l)
		}
	}
	return likenesses
}

// Shared compares two texts by their telling words: twice the weight they share
// over the weight of both (Dice), 0 to 1.
func (f Finder) Shared(a, b string) float64 {
	q := f.Lately.understood(f.Index, a)
	w := weigher{ix: f.Index, q: &q, analyzer: f.Index.Analyzer()}
	return w.likeness(b)
}

package answer

import (
	"cmp"
	"context"
	"math"
	"slices"
	"strings"

	"urgentparrot.example/internal/core/knowledge"
	"urgentparrot.example/internal/core/text"
)

// A Candidate is a passage weighed as the answer to a question.
type Candidate struct {
	knowledge.Hit
	Features   Features
	Coverage   float64   // share of the question's telling words it holds, 0 to 1
	Meaning    float64   // likeness of its best sentence or heading to the question, -1 to 1; 0 while it is not known
	Confidence float64   // that it answers the question, 0 to 1
	Missing    []string  // telling words of the question that it does not hold
	Quote      text.Span // the sentences of the passage that answer
	rank       float64
}

// A Finder finds passages for questions. It is safe for concurrent use.
type Finder struct {
	Index   *knowledge.Index
	Scope   knowledge.Scope
	Vectors *Vectors  // nil: passages are found by their words only
	Wanted  *[]string // takes the texts whose vectors were not known, if it is not nil; then only one goroutine may use the Finder

	Weights *Weights // nil: those that were fitted

	Lately  *Lately // what was found before; nil: every question is searched for
	Sources string  // names the sources of the scope, for Lately
}

// considered is how many of the best passages by words, and of the best by
// meaning, are looked at closely.
const considered = 12

// Found is what was found for one question.
type Found struct {
	Mended     string // the question with misspelt words mended
	Meant      string // and, of a follow-up, with what it takes from the question before
	Candidates []Candidate
}

// While its meaning is not known, a passage that shares hardly a word with the
// question is there by chance.
const (
	sharesWords = 0.3
	byChance    = 0.2
)

// closely is how many of the best are looked at for whether others bear them out.
const closely = 3

// kept is how many candidates are returned.
const kept = 8

// unrelated is how near in meaning a question and a passage of other matters are.
const unrelated = 0.25

// Find returns the passages that may answer a question, the best first; none
// when the question holds no telling word. Follow-up questions take their
// subject from previous, the question before it ("" if none).
//
// What it returns may be shared and must not be changed.
func (f Finder) Find(ctx context.Context, asked, previous string) Found {
	if f.Lately == nil || f.Index.Timed() {
		found, _ := f.search(ctx, asked, previous)
		return found
	}
	key := lateKey{f.Sources, asked, previous}
	found, ok := f.Lately.get(f.Index, key)
	if !ok {
		var whole bool
		if found, whole = f.search(ctx, asked, previous); whole {
			f.Lately.put(f.Index, key, found)
		}
	}
	return found
}

// search finds, and reports whether it could use all that there is: it could not
// if the meaning of the question was not to be had.
func (f Finder) search(ctx context.Context, asked, previous string) (found Found, whole bool) {
	q := understand(f.Index, asked)
	found = Found{Mended: q.mended, Meant: q.mended}
	if q.telling() == 0 {
		return found, true
	}
	if previous != "" && isFollowUp(q.mended) {
		found.Meant = q.carryOver(f.Index, previous)
	}
	var aim knowledge.Aim
	vector := f.vector(ctx, found.Meant)
	if vector != nil {
		aim = knowledge.NewAim(vector)
	}
	wants := q.wants()
	hits := f.Index.ByWords(wants, f.Scope, considered)
	for _, hit := range f.Index.ByMeaning(aim, f.Scope, considered) {
		if !slices.ContainsFunc(hits, hit.Same) {
			hit.Score = f.Index.Score(hit, wants)
			hits = append(hits, hit)
		}
	}
	weights := f.Weights
	if weights == nil {
		weights = &fitted
	}
	w := weigher{ix: f.Index, q: &q, aim: aim, analyzer: f.Index.Analyzer(), weights: weights}
	w.prepare()
	for _, hit := range hits {
		c := w.weigh(hit)
		c.rank += f.preference(c)
		found.Candidates = append(found.Candidates, c)
	}
	slices.SortStableFunc(found.Candidates, func(a, b Candidate) int { return cmp.Compare(b.rank, a.rank) })
	found.Candidates = found.Candidates[:min(kept, len(found.Candidates))]
	says := make([][]text.Term, len(found.Candidates))
	for i, c := range found.Candidates {
		says[i] = w.analyzer.Telling(c.Text[c.Quote.Start:c.Quote.End])
	}
	// To be the best of few says little: every place that stays empty counts as a
	// passage that has nothing to do with the question.
	stranger := 0.0
	if vector != nil {
		stranger = weights.Rank.dot(Features{Meaning: unrelated, Whole: unrelated})
	}
	for i := range found.Candidates {
		c := &found.Candidates[i]
		others := float64(kept-len(found.Candidates)) * math.Exp(min(stranger-c.rank, 30))
		for j, other := range found.Candidates {
			if j != i && (i >= closely || !w.agree(says[i], says[j])) {
				others += math.Exp(min(other.rank-c.rank, 30))
			}
		}
		c.Features.Best = 1 / (1 + others)
		c.Confidence = weights.confidence(c.Features, c.Question != "")
		if c.Meaning == 0 && c.Coverage < sharesWords {
			c.Confidence = min(c.Confidence, byChance)
		}
		if i > 0 {
			c.Confidence = min(c.Confidence, found.Candidates[i-1].Confidence)
		}
	}
	return found, vector != nil || f.Vectors == nil
}

// What is preferred of passages that answer about as well, in units of rank.
const (
	preferTemporary = 20   // what holds for a time was written for this time
	preferHouse     = 1.5  // a person wrote it for this question
	preferEarlier   = 0.25 // each place in the order of the bot's sources
	preferredFrom   = 0.4  // the coverage, or likeness of the question, from which it is
)

// preference is what a passage is raised by beside others.
func (f Finder) preference(c Candidate) (raise float64) {
	if max(c.Features.Coverage, c.Features.Heading) >= preferredFrom && (!c.From.IsZero() || !c.Until.IsZero()) {
		raise += preferTemporary
	}
	if c.Question != "" && max(c.Features.Question, c.Features.Heading) >= preferredFrom {
		raise += preferHouse
	}
	return raise - preferEarlier*float64(min(f.Scope.Sources[c.SourceID], 8))
}

// carryOver adds what a follow-up takes from the question before it, as light
// words: all but its subject, the rarest word, which the follow-up replaces.
// "And for dogs?" after a question about bicycles asks the same about dogs. It
// returns the whole question.
func (q *question) carryOver(ix *knowledge.Index, previous string) string {
	before := understand(ix, previous)
	subject := -1
	for i, t := range before.terms {
		if !t.Light && (subject < 0 || t.weight > before.terms[subject].weight) {
			subject = i
		}
	}
	meant := before.mended
	for i, t := range before.terms {
		if i == subject {
			meant = strings.Replace(meant, t.Word, followUp.ReplaceAllString(strings.Trim(q.mended, " ?.!"), ""), 1)
			continue
		}
		if slices.ContainsFunc(q.terms, func(o term) bool { return o.Stem == t.Stem }) {
			continue
		}
		if !t.Light {
			t.Light = true
			t.weight *= lightWeight
		}
		q.terms = append(q.terms, t)
	}
	if q.fact == nil {
		q.fact = before.fact
	}
	return meant
}

// Passage weighs one passage that was found for a question; it reports false if
// it is not among those found.
func (f Finder) Passage(ctx context.Context, asked, id string) (Candidate, bool) {
	for _, c := range f.Find(ctx, asked, "").Candidates {
		if c.ID == id {
			return c, true
		}
	}
	return Candidate{}, false
}

// Like returns how like a question is to the nearest of some examples, by words
// or by meaning, 0 to 1.
func (f Finder) Like(ctx context.Context, asked string, examples []string) (best float64) {
	for _, l := range f.Likenesses(ctx, asked, examples) {
		best = max(best, l.Meaning, l.Words)
	}
	return best
}

// Likeness is how like two texts are: by meaning (cosine), and by the telling words that
// they share (Dice), each 0 to 1.
type Likeness struct{ Meaning, Words float64 }

// unlike is the likeness by meaning below which two texts are not compared by words.
const unlike = 0.25

// Likenesses compares a question with examples. By words it compares those only that
// may be alike by what is known of their meaning.
func (f Finder) Likenesses(ctx context.Context, asked string, examples []string) []Likeness {
	if len(examples) == 0 {
		return nil
	}
	meant := f.vector(ctx, asked)
	likenesses := make([]Likeness, len(examples))
	var w *weigher
	for i, example := range examples {
		of := f.vector(ctx, example)
		known := meant != nil && len(of) == len(meant)
		if known {
			for j, v := range of {
				likenesses[i].Meaning += float64(v) * float64(meant[j])
			}
		}
		if known && likenesses[i].Meaning < unlike {
			continue
		}
		if w == nil {
			q := understand(f.Index, asked)
			w = &weigher{ix: f.Index, q: &q, analyzer: f.Index.Analyzer()}
		}
		likenesses[i].Words = w.likeness(example)
	}
	return likenesses
}

// Shared compares two texts by their telling words: twice the weight they share
// over the weight of both (Dice), 0 to 1.
func (f Finder) Shared(a, b string) float64 {
	q := understand(f.Index, a)
	w := weigher{ix: f.Index, q: &q, analyzer: f.Index.Analyzer()}
	return w.likeness(b)
}

package dialogue

import (
	"slices"

	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/text"
)

// How like the examples of a brief a question must be to be off topic. Below strange
// nothing in the knowledge is like it.
const (
	offTopicLikeness = 0.72
	strange          = 0.4
)

// How near a question is to the examples of a forbidden matter: their likeness by meaning,
// tokens and words together, less what the knowledge has to say to it, its nearest passage
// and how surely that answers. Weights and bars were set with three matters of other
// businesses (testdata/forbidden.txt); make quality prints what comes of them.
const (
	forbiddenSurely     = 0.72 // like an example by meaning, whatever else is known
	forbiddenInWords    = 0.55 // or by the words that they share
	besideKnowledge     = 1.33
	besideConfidence    = 0.84
	forbiddenFrom       = 0.30  // the nearness from which it is forbidden
	forbiddenLike       = 0.9   // where it is at least so like an example: some questions are strange to all knowledge
	perhapsForbiddenToo = -0.11 // the nearness from which it is better not answered
)

// A verdict says whether a question is one that the brief forbids to answer.
type verdict int

const (
	allowed verdict = iota
	doubtful
	forbidden
	surely // forbidden, whatever is known
)

// forbids says whether a question falls under a rule of the brief, and which: as it was
// asked, with its slips mended, as meant after the question before, and together with
// what was said just before it. What only may fall under one, by itself, is doubtful: it is
// neither answered nor refused.
func (t *turn) forbids(part answer.Part, reply answer.Reply) (nearest bot.Rule, is verdict) {
	if len(t.Brief.Forbidden) == 0 {
		return nearest, allowed
	}
	forms, told := []string{part.Text, reply.Found.Mended, reply.Found.Meant}, ""
	if t.before != "" {
		told = t.before + " " + part.Text
		forms = append(forms, told)
	}
	slices.Sort(forms)
	forms = slices.Compact(forms)
	likeness, near, words, byItself := 0.0, 0.0, 0.0, 0.0
	example, nearestForm := "", ""
	for _, rule := range t.Brief.Forbidden {
		for _, form := range forms {
			for i, l := range t.Finder.Likenesses(t.ctx, form, rule.Questions) {
				likeness, words = max(likeness, l.Meaning, l.Words), max(words, l.Words)
				if l.All() > near {
					nearest, near = rule, l.All()
					example, nearestForm = rule.Questions[i], form
				}
				if form != told {
					byItself = max(byItself, l.All())
				}
			}
		}
	}
	if likeness >= forbiddenSurely || words >= forbiddenInWords {
		return nearest, surely
	}
	known := 0.0
	for i, c := range reply.Candidates {
		if i == 0 && c.Meaning == 0 {
			return nearest, allowed // its meaning is not known yet: nothing can be compared with it
		}
		known = max(known, c.Meaning)
	}
	known *= besideKnowledge
	if len(reply.Candidates) > 0 {
		known += besideConfidence * reply.Candidates[0].Confidence
	}
	switch {
	case near-known >= forbiddenFrom && near >= forbiddenLike && t.Finder.SharesSubject(t.ctx, nearestForm, example):
		return nearest, forbidden
	case byItself-known >= perhapsForbiddenToo:
		return nearest, doubtful
	}
	return nearest, allowed
}

// isOffTopic reports whether something has nothing to do with the business: it is
// like one of the brief's examples, or a question that no passage shares a word
// with or is like. Of a question in another language that cannot be said.
func (t *turn) isOffTopic(part answer.Part, found answer.Found) bool {
	if t.Brief.OffTopic == nil {
		return false
	}
	if t.Finder.Like(t.ctx, part.Text, t.Brief.OffTopic.Questions) >= offTopicLikeness {
		return true
	}
	if part.Kind != answer.Question || !t.Finder.Index.Analyzer().Speaks(text.LanguageOf(part.Text)) || t.isForeign(part.Text) || found.Likely >= t.Brief.OfferThreshold || found.Meant != found.Mended {
		return false
	}
	for _, term := range t.Finder.Index.Analyzer().Telling(found.Mended) {
		if !term.Light && t.Finder.Index.Knows(term.Stem) {
			return false
		}
	}
	if !isStrange(found) {
		return false
	}
	for _, p := range t.Brief.Pass {
		examples := p.When
		other := t.knows(p.Bot())
		if other != nil {
			examples = slices.Concat(examples, t.onlyTheirs(*other))
		}
		if t.Finder.Like(t.ctx, part.Text, examples) > strange || other != nil && !isStrange(other.Finder.Find(t.ctx, part, "")) {
			return false // it has to do with what a colleague does or knows
		}
	}
	return true
}

// isStrange reports whether nothing that was found is like the question.
func isStrange(found answer.Found) bool {
	return !slices.ContainsFunc(found.Candidates, func(c answer.Candidate) bool { return c.Meaning == 0 || c.Meaning > strange }) // 0: not known yet
}

// isForeign reports whether most words are those of a language that is not spoken here:
// neither the knowledge nor English has them.
func (t *turn) isForeign(said string) bool {
	if !t.Finder.Index.Analyzer().English() {
		return false
	}
	known, all := 0, 0
	for _, w := range text.Words(said) {
		if len(w.Folded) < 3 {
			continue
		}
		all++
		if text.English().Times(w.Folded) > 0 || t.Finder.Index.Spelt(w.Folded) > 0 || text.IsCommon(w.Folded) {
			known++
		}
	}
	return 2*known < all
}

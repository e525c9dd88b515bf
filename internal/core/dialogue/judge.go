package dialogue

import (
	"math"
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

// How like the examples of a rule a question must be, by meaning, to be forbidden:
// whatever is known of it; where nothing answers it, so that it would be handed over;
// and where something would answer it. If it is not surely so, it must be nearer to an
// example than to anything in the knowledge, by meaning and by words together, or so
// little further that it is better not answered. They were set with the vectors of an
// earlier encoder: of 100 rewordings of three rules 1 was answered then, of 1,583 ordinary
// questions of 8 businesses 26 were refused.
const (
	forbiddenSurely     = 0.72
	forbiddenInWords    = 0.55 // shared with an example
	forbiddenUnanswered = 0.5
	forbiddenAnswered   = 0.4
	forbiddenMargin     = 0.1
	wordsBesideMeaning  = 0.3
)

// isForbidden returns the rule of the brief that a question falls under: as it was
// asked, with its slips mended, as meant after the question before, and together with
// what was said just before it.
func (t *turn) isForbidden(part answer.Part, reply answer.Reply) (bot.Rule, bool) {
	if len(t.Brief.Forbidden) == 0 {
		return bot.Rule{}, false
	}
	forms := []string{part.Text, reply.Found.Mended, reply.Found.Meant}
	if t.before != "" {
		forms = append(forms, t.before+" "+part.Text)
	}
	slices.Sort(forms)
	forms = slices.Compact(forms)
	known := 0.0
	for i, c := range reply.Candidates {
		if c.Meaning == 0 && i == 0 {
			known = math.Inf(1) // its meaning is not known yet: nothing can be compared with it
		}
		known = max(known, c.Meaning+wordsBesideMeaning*c.Coverage)
	}
	var nearest bot.Rule
	surely, near, words := 0.0, 0.0, 0.0
	for _, rule := range t.Brief.Forbidden {
		for _, form := range forms {
			for _, l := range t.Finder.Likenesses(t.ctx, form, rule.Questions) {
				like := max(l.Meaning, l.Words)
				surely, words = max(surely, like), max(words, l.Words)
				if both := like + wordsBesideMeaning*l.Words; both > near {
					nearest, near = rule, both
				}
			}
		}
	}
	switch {
	case surely >= forbiddenSurely || words >= forbiddenInWords:
		return nearest, true
	case reply.Words != "":
		return nearest, surely >= forbiddenAnswered && near+forbiddenMargin >= known
	}
	return nearest, surely >= forbiddenUnanswered && near >= known
}

// How near a question must be to those that a tool answers, by meaning, tokens and words
// together; and how like by its words alone, where nothing that the tool needs is said.
const (
	toolNear     = 0.9
	toolMeaning  = 0.45
	toolLikeness = 0.6
	toolSurely   = 0.85
	toolHeard    = 0.3 // where something that the tool needs is said
)

// isForTool reports whether a question is one that a tool answers, and how like those it
// is: it is nearer to one of them than to anything in the knowledge, and says what the tool
// needs or shares its words.
func (t *turn) isForTool(tool Tool, part answer.Part, found answer.Found, heard bool) (likeness float64, ok bool) {
	likeness = tool.likeness(t.Finder.Index, found.Mended)
	near := t.Finder.Near(t.ctx, part, found, tool.When)
	if near.Match == 0 && near.KnownMatch == 0 { // meanings are not known: words must do
		return likeness, likeness >= toolLikeness
	}
	if likeness >= toolSurely {
		return likeness, true
	}
	if near.All < toolNear || near.Meaning < toolMeaning || near.Examples() < near.Knowledge() || likeness < toolLikeness && !(heard && likeness >= toolHeard) {
		return likeness, false
	}
	return max(likeness, min(near.Meaning, 1)), true
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
	for _, c := range found.Candidates {
		if c.Meaning == 0 || c.Meaning > strange { // 0: not known yet
			return false
		}
	}
	return true
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

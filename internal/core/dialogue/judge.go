package dialogue

import (
	"fmt"
	"math"
	"regexp"
	"slices"
	"strings"

	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/text"
)

// How like the examples of a brief a question must be to be off topic. Below strange
// nothing in the knowledge is like it.
const (
	offTopicLikeness = 0.72
	strange          = 0.42
)

// How like the examples of a rule a question must be, by meaning, to be forbidden:
// whatever is known of it; where nothing answers it, so that it would be handed over;
// and where something would answer it. If it is not surely so, it must be nearer to an
// example than to anything in the knowledge, by meaning and by words together, or so
// little further that it is better not answered. Of 100 rewordings of three rules 1 was
// answered, of 1,583 ordinary questions of 8 businesses 26 were refused.
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
	if part.Kind != answer.Question || !t.Finder.Index.Analyzer().Speaks(text.LanguageOf(part.Text)) {
		return false
	}
	for _, c := range found.Candidates {
		if c.Coverage > 0.25 || c.Meaning > strange || c.Meaning == 0 { // 0: not known yet
			return false
		}
	}
	return true
}

// How near the threshold, and each other, two answers are that may both be
// meant.
const (
	nearThreshold = 0.2
	nearEach      = 0.2
	askedAbout    = 2
)

// choose asks which of two answers is meant, once for a question: when both are
// nearly known well enough and stand in different places.
func (t *turn) choose(question string, candidates []answer.Candidate) bool {
	if t.State.Choice != nil || t.next.Choice != nil || len(candidates) < askedAbout {
		return false
	}
	first := candidates[0]
	if first.Confidence < t.Brief.Threshold-nearThreshold {
		return false
	}
	choice := &Choice{Question: question}
	for _, c := range candidates {
		label := c.Label()
		if label == "" || len(c.Missing) > 0 || first.Confidence-c.Confidence > nearEach || len(choice.Options) == askedAbout {
			break
		}
		if len(choice.Options) > 0 && strings.EqualFold(choice.Options[0].Label, label) {
			continue
		}
		choice.Options = append(choice.Options, Option{label, c.ID})
	}
	if len(choice.Options) < askedAbout {
		return false
	}
	lines := []string{t.word(bot.WhichOne, question)}
	for i, o := range choice.Options {
		lines = append(lines, fmt.Sprintf("%d. %s", i+1, o.Label))
	}
	t.answers = append(t.answers, strings.Join(lines, "\n"))
	t.next.Choice = choice
	return true
}

var (
	saysFirst  = regexp.MustCompile(`(?i)^\W*(?:1|one|(?:the )?first(?: one)?)\b`)
	saysSecond = regexp.MustCompile(`(?i)^\W*(?:2|two|(?:the )?second(?: one)?|(?:the )?(?:last|latter)(?: one)?)\b`)
)

// chosen takes the customer's word for which answer is meant. It reports whether
// that settled the turn; if not, the message is looked at like any other.
func (t *turn) chosen() bool {
	choice := *t.next.Choice
	t.next.Choice = nil
	at := -1
	switch {
	case saysFirst.MatchString(t.said):
		at = 0
	case saysSecond.MatchString(t.said):
		at = 1
	case len(text.Words(t.said)) <= 8:
		best := 0.0
		for i, o := range choice.Options {
			if like := t.Finder.Shared(t.said, o.Label); like > best {
				at, best = i, like
			}
		}
	}
	if at < 0 || at >= len(choice.Options) {
		return false
	}
	candidate, ok := t.Finder.Passage(t.ctx, choice.Question+" "+choice.Options[at].Label, choice.Options[at].PassageID)
	if !ok {
		return false
	}
	t.quote(choice.Question, candidate)
	t.trace.Understood = append(t.trace.Understood, Understood{
		Part: answer.Part{Text: t.said, Kind: answer.Statement}, Outcome: "chose: " + choice.Options[at].Label,
	})
	t.came(CodeAnswered, "the customer said which is meant")
	return true
}

package dialogue

import (
	"regexp"
	"slices"
	"strings"

	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/message"
	"urgentparrot.example/internal/core/text"
)

// An Offer waits for the customer to say whether what was found, or which of some
// things, is what they mean.
type Offer struct {
	Question string   `json:"question"`
	Options  []Option `json:"options"`         // one that was quoted, or some to choose from
	Again    bool     `json:"again,omitempty"` // it was asked a second time which one
}

// An Option is one of the things that may be meant.
type Option struct {
	Label     string `json:"label"`
	PassageID string `json:"passage_id"`
	Source    string `json:"source"`
	Words     string `json:"words"` // that answer
}

// Once is how like a question that was offered something before another must be to be
// the same, by the telling words that they share.
const once = 0.8

// keptOffers is how many questions that were offered something are remembered.
const keptOffers = 4

// offer says what may be meant: as what was found, not as the answer. It reports false,
// having said nothing, where an offer is out of place: a second one for a question or in a
// reply, or to somebody who is angry, or whose bot only acknowledges while a person is waited for.
func (t *turn) offer(question string, reply answer.Reply) bool {
	if len(reply.Offer) == 0 || t.next.Offer != nil || t.next.Angry || t.next.Lead == Waiting && t.Brief.WhileWaiting == "acknowledge" {
		return false
	}
	for _, before := range t.State.Offered {
		if strings.EqualFold(question, before) || t.Finder.Shared(question, before) >= once {
			return false
		}
	}
	offer := &Offer{Question: question}
	for _, c := range reply.Offer {
		offer.Options = append(offer.Options, Option{Label: c.Label(), PassageID: c.ID, Source: c.Source, Words: c.Words(t.Abilities.Limit)})
	}
	if len(offer.Options) == 1 {
		offer.Options[0].Words = reply.Offer[0].Offered(t.Abilities.Limit)
		t.offered = strings.TrimSpace(t.word(bot.NotSure, question) + " " + offer.Options[0].Words)
		t.cite(reply.Offer[0])
	} else {
		t.offered = t.word(bot.WhichOne, question)
	}
	t.offeredFor = text.Short(question, quotedRunes)
	t.next.Offer = offer
	t.next.Offered = append(slices.Clone(t.State.Offered), question)
	if extra := len(t.next.Offered) - keptOffers; extra > 0 {
		t.next.Offered = t.next.Offered[extra:]
	}
	t.asked++
	t.effects = append(t.effects, Missed{question})
	return true
}

// saysAlready reports whether what would be offered alone is said in this reply already.
func (t *turn) saysAlready(reply answer.Reply) bool {
	if len(reply.Offer) != 1 {
		return false
	}
	offered := reply.Offer[0].Words(t.Abilities.Limit)
	return slices.ContainsFunc(t.answers, func(said string) bool { return strings.Contains(said, offered) })
}

// settledBefore answers a question again for which the customer has said what they mean.
func (t *turn) settledBefore(question string) bool {
	for _, before := range slices.Backward(t.State.Asked) {
		if before.Answer != "" && strings.EqualFold(strings.TrimSpace(before.Question), strings.TrimSpace(question)) && slices.Contains(t.State.Offered, before.Question) {
			t.answered(question, before.Answer)
			return true
		}
	}
	return false
}

// otherwise is what is said behind an offer: the way to a person.
func (t *turn) otherwise() string {
	if t.Brief.EscalatesOn(bot.OnNotKnown) && t.next.Lead != Waiting {
		return t.word(bot.OtherwiseAsked, t.next.Offer.Question)
	}
	return t.word(bot.Otherwise, t.next.Offer.Question)
}

// choices returns the choices of an offer as a part of a message, nil if there is nothing
// to choose.
func (t *turn) choices() *message.Part {
	if t.next.Offer == nil || len(t.next.Offer.Options) < 2 || t.next.Offer == t.State.Offer {
		return nil
	}
	part := &message.Part{Kind: message.Choices}
	for _, o := range t.next.Offer.Options {
		part.Choices = append(part.Choices, o.Label)
	}
	return part
}

var (
	saysYes  = regexp.MustCompile(`(?i)^\W*(?:yes|yep|yeah|yup|yea|ja|correct|right|exactly|precisely|that(?:'|’)?s (?:it|right|the one|what i meant?)|that is (?:it|right)|that one|sure|ok(?:ay)?|perfect|great|indeed|it is|it does)\b(?:[\s,.!]+(?:please|thanks?(?: you)?|that(?:'|’)?s (?:it|right|the one|what i meant?)|it is|exactly|perfect|great|cheers))*[\s,.!]*`)
	saysNo   = regexp.MustCompile(`(?i)^\W*(?:no|nope|nah|neither|none|not? (?:that|this|those|these|it|really|quite|what i (?:meant?|asked))|wrong|something else|nothing of the sort|(?:that|this|it)(?:(?:'|’)?s| is) not(?: it| that| what i (?:meant?|asked))?|(?:that|this|it) isn(?:'|’)?t(?: it| that| what i (?:meant?|asked))?)\b(?:[\s,.!]+(?:thanks?(?: you)?|sorry|(?:one )?of (?:them|these|those|the (?:two|three|above))|(?:that|this|it)(?:(?:(?:'|’)?s| is) not|(?: isn(?:'|’)?t))(?: it| that| what i (?:meant?|asked))?|(?:is )?(?:that|this)(?: one)?|not (?:that|this|those|these|it|really|quite|what i (?:meant?|asked))|either|something else|it(?:'|’)?s not|it isn(?:'|’)?t))*[\s,.!]*`)
	saysAt   = regexp.MustCompile(`(?i)^\W*(?:(?:i mean|it(?:'|’)?s|number|no\.?|option)\s+)?(?:the\s+)?(1|2|3|one|two|three|first|second|third|1st|2nd|3rd|last|latter|former|top|bottom|middle)(?:[\s,.!]+(?:one|option|please|thanks|thank you))*\W*$`)
	placesOf = map[string]int{"1": 0, "one": 0, "first": 0, "1st": 0, "former": 0, "top": 0, "2": 1, "two": 1, "second": 1, "2nd": 1, "middle": 1, "3": 2, "three": 2, "third": 2, "3rd": 2}
)

// choiceAt returns which option a message chooses, -1 if none: by its place, or by the
// words of its label.
func (t *turn) choiceAt(said string, options []Option) int {
	if m := saysAt.FindStringSubmatch(said); m != nil {
		at, ok := placesOf[strings.ToLower(m[1])]
		if !ok || strings.EqualFold(m[1], "middle") && len(options) < 3 {
			at = len(options) - 1 // the last
		}
		if at < len(options) {
			return at
		}
		return -1
	}
	if len(options) == 1 || len(text.Words(said)) > 10 {
		return -1
	}
	best, at := 0.0, -1
	for i, o := range options {
		if strings.EqualFold(strings.TrimSpace(said), o.Label) {
			return i
		}
		if like := t.Finder.Shared(said, o.Label); like > best {
			best, at = like, i
		}
	}
	if strings.HasSuffix(strings.TrimSpace(said), "?") && best < once {
		return -1 // another question, which shares a word
	}
	return at
}

// settle takes what the customer says to an offer: a yes or a choice settles it, a no
// hands the question over, and other words are looked at like any other message. It
// reports whether the turn is settled with that.
func (t *turn) settle() bool {
	offer := *t.next.Offer
	t.next.Offer = nil
	note := func(outcome string) {
		t.trace.Understood = append(t.trace.Understood, Understood{Part: answer.Part{Text: t.said, Kind: answer.Statement}, Outcome: outcome})
	}
	rest := func(said *regexp.Regexp) string { return strings.TrimSpace(t.said[len(said.FindString(t.said)):]) }
	at := t.choiceAt(t.said, offer.Options)
	switch {
	case at >= 0 && len(offer.Options) > 1:
		chosen := offer.Options[at]
		note("chose: " + chosen.Label)
		t.example(offer, at, "chosen")
		t.answered(offer.Question, chosen.Words)
		t.citePassage(offer.Question, chosen)
		t.came(CodeAnswered, "the customer said which is meant")
		return true
	case saysYes.MatchString(t.said) && len(offer.Options) == 1:
		t.example(offer, 0, "yes")
		t.note(Asked{offer.Question, offer.Options[0].Words})
		if more := rest(saysYes); more != "" && t.asksMore(more) {
			t.said = more
			return false
		}
		note("confirmed: " + offer.Options[0].Label)
		t.say(bot.Confirmed, offer.Question)
		t.came(CodeConfirmed, "the customer said that it is what they meant")
		return true
	case saysYes.MatchString(t.said) && rest(saysYes) == "" && !offer.Again:
		offer.Again = true
		t.next.Offer = &offer
		note("said yes to a choice")
		t.say(bot.WhichOne, offer.Question)
		t.came(CodeOffered, "a yes does not say which is meant")
		return true
	case saysNo.MatchString(t.said):
		for i := range offer.Options {
			t.refuse(offer, i, "no")
		}
		if more := rest(saysNo); more != "" && t.asksMore(more) {
			t.said = more // what is meant instead
			return false
		}
		note("said no to what was offered")
		t.unknown, t.refused = append(t.unknown, offer.Question), offer.Question
		t.conclude(false, false)
		return true
	}
	if t.asksMore(t.said) {
		for i := range offer.Options {
			t.refuse(offer, i, "other words")
		}
	}
	return false
}

// asksMore reports whether words want an answer.
func (t *turn) asksMore(words string) bool {
	for _, part := range answer.Split(words) {
		if part.Kind == answer.Question || part.Kind == answer.Statement && t.asksSomething(part.Text) {
			return true
		}
	}
	return false
}

func (t *turn) example(offer Offer, at int, how string) {
	o := offer.Options[at]
	t.effects = append(t.effects, Example{Question: offer.Question, PassageID: o.PassageID, Source: o.Source, Label: o.Label, Words: o.Words, Right: true, How: how})
	if t.Brief.Proposes && !t.Brief.Private {
		t.effects = append(t.effects, Propose{Question: offer.Question, Answer: o.Words})
	}
	for i := range offer.Options {
		if i != at {
			t.refuse(offer, i, "another was chosen")
		}
	}
}

func (t *turn) refuse(offer Offer, at int, how string) {
	o := offer.Options[at]
	t.effects = append(t.effects, Example{Question: offer.Question, PassageID: o.PassageID, Source: o.Source, Label: o.Label, Words: o.Words, How: how})
}

// citePassage cites the passage of an option, as far as it still stands in the knowledge.
func (t *turn) citePassage(question string, o Option) {
	if c, ok := t.Finder.Passage(t.ctx, question+" "+o.Label, o.PassageID); ok {
		t.cite(c)
	}
}

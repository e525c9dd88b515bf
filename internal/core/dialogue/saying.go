package dialogue

import (
	"fmt"
	"slices"
	"strings"

	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/text"
)

// conclude settles a turn once every part has been looked at.
func (t *turn) conclude(greeted, chatted bool) {
	open := t.state.Open
	switch {
	case len(t.unknown) > 0 && len(t.answers) == 0 && t.state.Lead == Waiting:
		t.noteUnknown()
		t.say(bot.Waiting, "")
		t.trace.Decision, t.trace.Why = "added", "the question is not known, and a person has been told already"
	case len(t.unknown) > 0 && len(t.answers) == 0 && open != nil && open.Tries > 0:
		t.unknown = nil
		t.reask(open)
		t.trace.Decision, t.trace.Why = "asked again", "the reply did not hold "+open.Missing
	case len(t.unknown) > 0:
		t.notKnown()
	case t.state.Choice != nil && len(t.answers) == 1:
		t.trace.Decision, t.trace.Why = "asked which", "two passages may be meant, and neither is known well enough"
	case len(t.answers) > 0:
		if t.Brief.WhileWaiting == "acknowledge" && t.state.Lead == Waiting {
			t.answers, t.citations = nil, nil
			t.say(bot.Waiting, "")
			t.trace.Decision, t.trace.Why = "added", "a person has been told already"
			return
		}
		t.trace.Decision, t.trace.Why = "answered", "what answers it is known well enough"
		if chatted && len(t.state.Asked) == len(t.State.Asked) {
			t.trace.Decision, t.trace.Why = "small talk", "nothing was asked"
		}
		if open != nil && open.Tries > 0 {
			t.reask(open)
		}
	case open != nil && open.Tries > 0:
		t.reask(open)
		t.trace.Decision, t.trace.Why = "asked again", "the reply did not hold "+open.Missing
	case len(t.learnt) > 0:
		t.say(bot.Noted, "")
		t.trace.Decision, t.trace.Why = "noted", "the customer gave details and asked nothing"
	case t.state.Lead == Waiting:
		t.say(bot.Waiting, "")
		t.trace.Decision, t.trace.Why = "added", "nothing was asked, and a person has been told already"
	case greeted:
		t.say(bot.Welcome, "")
		t.trace.Decision, t.trace.Why = "small talk", "there was only a greeting"
	default:
		t.say(bot.HowToHelp, "")
		t.trace.Decision, t.trace.Why = "small talk", "nothing was asked"
	}
	switch {
	case greeted || t.state.Replies == 0 && t.state.Lead != Waiting:
		t.opening = append(t.opening, t.word(bot.Greeting, ""))
	case slices.Contains(t.learnt, "name") && t.trace.Decision != "noted":
		t.opening = append(t.opening, t.word(bot.Named, ""))
	}
}

func (t *turn) reask(open *OpenQuestion) {
	for _, tool := range t.Tools {
		if tool.Tool.Tool == open.Tool {
			t.answers = append(t.answers, tool.Hear[open.Missing].Ask)
		}
	}
}

// notKnown owns up to what is not known, and brings people in if the brief says
// so.
func (t *turn) notKnown() {
	t.noteUnknown()
	escalates := t.Brief.EscalatesOn(bot.OnNotKnown)
	switch {
	case len(t.answers) > 0:
		for _, question := range t.unknown {
			t.say(bot.PartUnknown, question)
		}
		t.trace.Decision = "answered in part"
	case escalates:
		t.say(bot.HandedOver, "")
		t.trace.Decision = "handed over"
	default:
		t.say(bot.NotKnown, "")
		t.trace.Decision = "not known"
	}
	t.trace.Why = fmt.Sprintf("no passage answers %q with a confidence of %.2f or more", t.unknown[0], t.Brief.Threshold)
	if escalates && t.state.Lead == LedByBot {
		t.escalate(bot.OnNotKnown)
	}
}

func (t *turn) noteUnknown() {
	for _, question := range t.unknown {
		t.note(Asked{Question: question})
		t.effects = append(t.effects, Missed{question})
	}
}

func (t *turn) word(wording, question string) string {
	return t.Brief.Word(wording, t.state.Replies, t.values(question))
}

func (t *turn) say(wording, question string) {
	if words := t.word(wording, question); words != "" {
		t.answers = append(t.answers, words)
	}
}

// send makes the reply out of the answers, within the channel's limit.
func (t *turn) send() {
	if len(t.answers) == 0 {
		return
	}
	limit := t.Channel.Abilities().Limit
	opening := strings.Join(t.opening, " ")
	if limit > 0 {
		room := (limit - len([]rune(opening)) - 2*len(t.answers)) / len(t.answers)
		for i, words := range t.answers {
			t.answers[i] = text.Fit(words, max(room, 40), false)
		}
	}
	joined := strings.Join(t.answers, "\n\n")
	if opening != "" {
		joined = opening + " " + joined
	}
	say := Say{Text: text.Fit(joined, limit, true), Citations: t.citations}
	for _, m := range t.Messages {
		say.Answers = append(say.Answers, m.ID)
	}
	t.effects = append(t.effects, say)
	t.state.Replies++
}

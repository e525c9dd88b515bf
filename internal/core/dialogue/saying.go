package dialogue

import (
	"fmt"
	"slices"
	"strings"

	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/contact"
	"urgentparrot.example/internal/core/message"
	"urgentparrot.example/internal/core/text"
)

// conclude settles a turn once every part has been looked at.
func (t *turn) conclude(greeted, chatted bool) {
	open := t.next.Open
	switch {
	case len(t.unknown) > 0 && len(t.answers) == 0 && t.next.Lead == Waiting:
		t.noteUnknown()
		t.say(bot.Waiting, "")
		t.came(CodeAdded, "the question is not known, and a person has been told already")
	case len(t.unknown) > 0 && len(t.answers) == 0 && open != nil && open.Tries > 0:
		t.unknown = nil
		t.reask(open)
		t.came(CodeAskedBack, "the reply did not hold "+open.Missing)
	case len(t.unknown) > 0:
		t.notKnown()
	case t.offered != "" && len(t.answers) == 0:
		t.answers = append(t.answers, t.offered)
		t.came(CodeOffered, "what was found may be meant, and is not known well enough")
	case len(t.answers) > 0:
		if t.Brief.WhileWaiting == "acknowledge" && t.State.Lead == Waiting && t.asked > 0 {
			t.answers, t.citations = nil, nil
			t.say(bot.Waiting, "")
			t.came(CodeAdded, "a person has been told already")
			return
		}
		switch asked := t.next.Open; {
		case t.handed: // that is what the turn came to
		case asked != nil && asked.Tries == 0 && t.asked == 0:
			t.came(CodeAskedBack, "the tool needs "+asked.Missing)
		case chatted && t.asked == 0:
			t.came(CodeSmallTalk, "nothing was asked")
		case t.asked > 0 && t.asked == t.offTopic:
			t.came(CodeOffTopic, "what was asked has nothing to do with the business")
		case t.asked > 0 && t.asked == t.forbidden+t.offTopic:
			t.came(CodeForbidden, "the brief forbids an answer")
		default:
			t.came(CodeAnswered, "what answers it is known well enough")
		}
		if open != nil && open.Tries > 0 {
			t.reask(open)
		}
	case open != nil && open.Tries > 0:
		t.reask(open)
		t.came(CodeAskedBack, "the reply did not hold "+open.Missing)
	case len(t.learnt) > 0:
		t.say(bot.Noted, "")
		t.came(CodeNoted, "the customer told something of themselves and asked nothing")
	case greeted && t.next.Lead == Waiting:
		t.say(bot.AlreadyTold, "")
		t.came(CodeSmallTalk, "there was only a greeting, and a person has been told already")
	case t.next.Lead == Waiting:
		t.say(bot.Waiting, "")
		t.came(CodeAdded, "nothing was asked, and a person has been told already")
	case greeted:
		t.say(bot.Welcome, "")
		t.came(CodeSmallTalk, "there was only a greeting")
	default:
		t.say(bot.HowToHelp, "")
		t.came(CodeSmallTalk, "nothing was asked")
	}
	if t.offered != "" && t.trace.Code != CodeOffered {
		t.answers = append(t.answers, strings.TrimSpace(t.word(bot.ForPart, t.offeredFor)+" "+t.offered))
	}
	if t.takesOver != "" {
		t.opening = append(t.opening, t.takesOver)
	}
	switch {
	case greeted || t.next.Replies == 0 && t.next.Lead != Waiting:
		t.opening = append([]string{t.word(bot.Greeting, "")}, t.opening...)
	case slices.Contains(t.learnt, t.nameField()) && t.trace.Code != CodeNoted:
		t.opening = append(t.opening, t.word(bot.Named, ""))
	}
}

// nameField is the field that holds the contact's name.
func (t *turn) nameField() string {
	field, _ := t.Settings.Fields.Of(contact.Name)
	return field.Name
}

func (t *turn) reask(open *OpenQuestion) {
	if tool, ok := t.granted(open.Tool); ok {
		t.answers = append(t.answers, tool.ComesFrom[open.Missing].Ask)
	}
}

// quotedRunes is how much of a question is quoted back.
const quotedRunes = 160

// notKnown owns up to what is not known, and brings people in if the brief says
// so.
func (t *turn) notKnown() {
	t.noteUnknown()
	escalates := t.Brief.EscalatesOn(bot.OnNotKnown)
	switch {
	case len(t.answers) > 0 || t.offered != "": // it must be told what of it is not known
		wording := bot.PartUnknown
		if escalates || t.next.Lead == Waiting {
			wording = bot.PartAsked
		}
		switch {
		case len(t.answers) > 0:
			t.trace.Code = CodeAnsweredInPart
		case escalates:
			t.trace.Code = CodeHandedOver
		default:
			t.trace.Code = CodeNotKnown
		}
		for _, question := range t.unknown {
			t.say(wording, text.Short(question, quotedRunes))
		}
	case escalates:
		t.say(bot.HandedOver, "")
		t.trace.Code = CodeHandedOver
	default:
		t.say(bot.NotKnown, "")
		t.trace.Code = CodeNotKnown
	}
	t.trace.Why = fmt.Sprintf("no passage answers %q with a confidence of %v or more", text.Short(t.unknown[0], quotedRunes), t.Brief.Threshold)
	if escalates && t.next.Lead == LedByBot {
		t.escalate(bot.OnNotKnown)
	}
}

func (t *turn) noteUnknown() {
	for _, question := range t.unknown {
		t.note(Asked{Question: question})
		if question != t.refused {
			t.effects = append(t.effects, Missed{question})
		}
	}
}

func (t *turn) word(wording, question string) string {
	return t.Brief.Word(wording, t.next.Replies, t.values(question))
}

func (t *turn) say(wording, question string) {
	if words := t.word(wording, question); words != "" {
		t.answers = append(t.answers, words)
	}
}

// send makes the reply out of the answers, within the channel's limit.
func (t *turn) send() {
	note := ""
	if t.cut { // it is said whatever else has room
		note = t.word(bot.ReadInPart, "")
	}
	if len(t.answers) == 0 && note == "" {
		return
	}
	// What was offered, and the way to a person behind it, have room first: a choice that
	// is cut cannot be chosen.
	offered, otherwise := t.choices(), ""
	if t.next.Offer != nil {
		otherwise = t.otherwise()
	}
	limit := t.Abilities.Limit
	if limit > 0 && (offered != nil || otherwise != "") {
		behind := len([]rune(otherwise)) + 4
		if offered != nil {
			behind += len([]rune(message.Numbered(offered.Choices)))
		}
		limit = max(limit-behind, limit/3)
	}
	signOff := t.word(bot.SignOff, "")
	if below := len([]rune(note)) + len([]rune(signOff)); limit > 0 && below > 0 {
		limit = max(limit-below-4, limit/2)
	}
	if t.next.Replies == 0 && t.Brief.SaysAssistant() && !t.toldWhoItIs { // whatever the first reply is
		assistant := bot.IsAssistant
		if t.takesOver != "" {
			assistant = bot.AssistantToo // it has said its name
		}
		t.opening = append(t.opening, t.word(assistant, ""))
	}
	opening := strings.Join(t.opening, " ")
	if limit > 0 && len(t.answers) > 0 {
		room := (limit - len([]rune(opening)) - 2*len(t.answers)) / len(t.answers)
		for i, words := range t.answers {
			t.answers[i] = text.Fit(words, max(room, 40), false)
		}
	}
	joined := strings.Join(t.answers, "\n\n")
	if opening != "" {
		joined = opening + " " + joined
	}
	joined = text.Fit(joined, limit, true)
	for _, below := range []string{note, signOff} {
		if below != "" {
			joined = strings.TrimSpace(joined + "\n\n" + below)
		}
	}
	say := Say{Parts: message.Of(joined), Citations: t.citations, Hold: t.hold}
	if offered != nil {
		say.Parts = append(say.Parts, *offered)
	}
	if otherwise != "" {
		say.Parts = append(say.Parts, message.Part{Kind: message.Text, Text: otherwise})
	}
	for _, m := range t.Messages {
		say.Answers = append(say.Answers, m.ID)
	}
	t.effects = append(t.effects, say)
	t.next.Replies++
}

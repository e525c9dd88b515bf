package engine

import (
	"context"
	"fmt"
	"strings"
	"time"

	"urgentparrot.example/internal/channel"
	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/core/message"
	"urgentparrot.example/internal/core/workspace"
	"urgentparrot.example/internal/store"
)

// sayKind is what a bot says. It is held where the channel's replies are, is there
// at once where the other side fetches, and is sent elsewhere.
var sayKind = EffectKind{Name: "say", Decide: func(ctx context.Context, c *Committing, e dialogue.Effect) {
	say, topics := e.(dialogue.Say), c.topics()
	said := store.Said{Message: store.Message{
		Author: store.ByBot, Name: c.snapshot.Brief.Persona, Topic: strings.Join(topics, "\n"), Confidence: c.sureness(), Parts: say.Parts, Text: message.Plain(say.Parts), Citations: say.Citations, State: store.MessageSent,
	}}
	switch {
	case say.Hold || c.holds() && !c.trusts(ctx, topics):
		said.State, said.TooLong = store.MessageHeld, time.Duration(c.channel.HeldFor)
	case !c.channel.fetches():
		var answers []string
		for _, answered := range say.Answers {
			answers = append(answers, c.hearing.external[answered])
		}
		send := c.w.sends(c.talk, c.commit.Turn.ID, channel.Outgoing{Parts: say.Parts, Answers: answers, Citations: say.Citations})
		said.State, said.Send = store.MessageMade, &send
	}
	c.commit.Said = append(c.commit.Said, said)
}}

// holds reports whether replies wait for a person here.
func (c *Committing) holds() bool {
	return c.channel.Replies != workspace.Send || c.snapshot.Brief.Mode == workspace.Hold || c.snapshot.Brief.Mode == workspace.Draft
}

type sendBody struct {
	Channel string           `json:"channel"`
	Message channel.Outgoing `json:"message"`
}

// sendTime is how long a channel may take to carry a message.
const sendTime = 60 * time.Second

// sendKind carries a message to the customer; it has the message's id.
var sendKind = EffectKind{
	Name: "send", Time: within(sendTime), OfBot: true, Trouble: "A reply could not be delivered",
	To: func(_ *Workspace, e store.Effect) string {
		b, err := body[struct{ Channel string }](e)
		if err != nil {
			return ""
		}
		return "channel/" + b.Channel
	},
	Carry: func(ctx context.Context, w *Workspace, e store.Effect) (any, error) {
		b, err := body[sendBody](e)
		if err != nil {
			return nil, err
		}
		ch := w.Channels.named(b.Channel)
		if ch == nil || ch.sender == nil {
			return nil, fmt.Errorf("the channel %s cannot send now", b.Channel)
		}
		b.Message.ID, b.Message.At = e.ID, e.CreatedAt
		if ch.abilities.Threads {
			if err := w.address(ctx, e.ConversationID, &b.Message); err != nil {
				return nil, err
			}
		}
		return nil, ch.sender.Send(ctx, b.Message)
	},
}

// address fills in what a message on a channel with threads belongs to, and whom it goes to:
// the sender of the message that it answers, as that one says.
func (w *Workspace) address(ctx context.Context, conversation string, m *channel.Outgoing) error {
	to, err := w.store.AnswerTo(ctx, conversation, m.Answers)
	if err != nil {
		return err
	}
	m.Subject, m.References, m.Original, m.Said, m.SaidAt = to.Subject, to.References, to.Beside, to.Text, to.At.In(w.config.Load().settings.Zone())
	if to.Address != "" {
		m.Address = to.Address
	}
	return nil
}

// sends returns the effect that carries a message in a conversation.
func (w *Workspace) sends(c store.Conversation, turn string, m channel.Outgoing) store.Effect {
	m.Address = c.Address
	return w.effect("send", "send/"+c.ID, c.ID, turn, sendBody{c.Channel, m})
}

// personSends returns the effect that carries a person's words, nil where the
// channel fetches them.
func (w *Workspace) personSends(c store.Conversation, words string) *store.Effect {
	if ch := w.Channels.named(c.Channel); ch != nil && ch.fetches() {
		return nil
	}
	e := w.sends(c, "", channel.Outgoing{Parts: message.Of(words), ByPerson: true})
	e.OfBot = false
	return &e
}

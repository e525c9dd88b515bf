package engine

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"urgentparrot.example/internal/channel"
	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/flow"
	"urgentparrot.example/internal/core/learn"
	"urgentparrot.example/internal/core/message"
	"urgentparrot.example/internal/store"
)

// Inbox is what people do in conversations. It is safe for concurrent use.
type Inbox struct{ w *Workspace }

// Take makes a person the assignee of a conversation. When it returns, no bot
// sends there any more. With over, it is taken even from another person.
func (i *Inbox) Take(ctx context.Context, id, person string, over bool) error {
	if err := i.change(ctx, id, func(tx *store.Tx) error {
		return tx.Take(id, person, over, person+" took the conversation", i.w.Clock.Now())
	}); err != nil {
		return err
	}
	i.w.Outbox.hush(id)
	return nil
}

// Return hands a conversation back to its bot. Runs of flows that the person paused go on,
// or end.
func (i *Inbox) Return(ctx context.Context, id, person string, endRuns bool) error {
	if err := i.change(ctx, id, func(tx *store.Tx) error {
		return tx.Return(id, person+" handed the conversation back to the bot", endRuns, i.w.Clock.Now())
	}); err != nil {
		return err
	}
	i.w.turns.signal(id)
	return nil
}

// Tag marks a conversation with just these tags. One that the settings do not declare is
// ErrUnknown.
func (i *Inbox) Tag(ctx context.Context, id, person string, tags []string) error {
	declared := i.w.Documents.Settings().Tags
	for _, tag := range tags {
		if !slices.Contains(declared, tag) {
			return fmt.Errorf("%wthere is no tag called %q; tags are declared in the settings", ErrUnknown, tag)
		}
	}
	c, err := i.w.store.Conversation(ctx, id)
	if err != nil {
		return err
	}
	var marks []flow.Tag
	for _, tag := range c.Tags {
		if !slices.Contains(tags, tag) {
			marks = append(marks, flow.Tag{Tag: tag, Off: true, OnTalk: true})
		}
	}
	for _, tag := range tags {
		marks = append(marks, flow.Tag{Tag: tag, OnTalk: true})
	}
	return i.change(ctx, id, func(tx *store.Tx) error {
		return tx.Tag(id, marks, func(tag flow.Tag) string { return tag.Words() + ", by " + person }, i.w.Clock.Now())
	})
}

// Close ends a conversation.
func (i *Inbox) Close(ctx context.Context, id, person string) error {
	if err := i.change(ctx, id, func(tx *store.Tx) error {
		return tx.Close(id, person+" closed the conversation", i.w.Clock.Now())
	}); err != nil {
		return err
	}
	i.w.Outbox.hush(id)
	i.w.turns.signal(id) // what was not decided on yet is covered
	return nil
}

func (i *Inbox) change(ctx context.Context, id string, work func(*store.Tx) error) error {
	c, err := i.w.store.Conversation(ctx, id)
	if err != nil {
		return err
	}
	if err := i.w.write(ctx, work); err != nil {
		return err
	}
	i.w.hub.signal(customerTopic(c.Channel, c.Address))
	return nil
}

// Reply sends a person's words to the customer. A key, if any, makes a repeat
// harmless: it returns the message that was sent the first time.
func (i *Inbox) Reply(ctx context.Context, id, person, words, key string) (store.Message, error) {
	w := i.w
	c, err := w.store.Conversation(ctx, id)
	if err != nil {
		return store.Message{}, err
	}
	if key != "" {
		key = "reply " + id + " " + key
		if sent, err := w.store.Request(ctx, key); err == nil {
			return w.store.Message(ctx, sent)
		}
	}
	var said store.Message
	send := w.personSends(c, words)
	err = w.write(ctx, func(tx *store.Tx) (err error) {
		if said, err = tx.SayAsPerson(id, person, words, send, w.Clock.Now()); err != nil || key == "" {
			return err
		}
		fresh, err := tx.PutRequest(key, said.ID, w.Clock.Now())
		if err == nil && !fresh {
			err = errRepeated
		}
		return err
	})
	if errors.Is(err, errRepeated) {
		sent, err := w.store.Request(ctx, key)
		if err != nil {
			return said, err
		}
		return w.store.Message(ctx, sent)
	}
	if err != nil {
		return said, err
	}
	i.sent(c, send)
	if brief, ok := find[bot.Brief](w.config.Load(), c.Bot); !ok || !brief.Private {
		w.Library.LearnFrom(ctx, c.ID, said)
	}
	return said, nil
}

// sent sets going what was said in a conversation.
func (i *Inbox) sent(c store.Conversation, send *store.Effect) {
	if send != nil {
		i.w.Outbox.add(*send)
	}
	i.w.hub.signal(customerTopic(c.Channel, c.Address))
}

// errRepeated breaks off a write that was done before under the same key.
var errRepeated = errors.New("done before")

// ReplyWithFact words a bare fact that a person gives, sends it to the customer as
// that person's reply, and proposes the lesson. Whoever replies must have taken
// the conversation.
func (i *Inbox) ReplyWithFact(ctx context.Context, id, person, fact, key string) (store.Message, error) {
	c, err := i.w.store.Conversation(ctx, id)
	if err != nil {
		return store.Message{}, err
	}
	return i.Reply(ctx, id, person, i.w.worded(ctx, c.Bot, fact), key)
}

// AnswerGap makes a house answer for a gap, and closes it. With send, those who
// still wait are sent the answer; it returns how many.
func (i *Inbox) AnswerGap(ctx context.Context, id, question, words, person string, send bool) (h store.HouseAnswer, sent int, err error) {
	h, waiting, err := i.w.Library.AnswerGap(ctx, id, question, words, person)
	if err != nil || !send {
		return h, 0, err
	}
	for _, conversation := range waiting {
		done, err := i.answerWaiting(ctx, conversation, person, h.Answer)
		if err != nil {
			return h, sent, err
		}
		if done {
			sent++
		}
	}
	return h, sent, nil
}

// answerWaiting sends an answer to a customer who waits for a person, and hands
// the conversation back to its bot. Where a person has taken it, it is theirs.
func (i *Inbox) answerWaiting(ctx context.Context, id, person, words string) (done bool, err error) {
	c, err := i.w.store.Conversation(ctx, id)
	if err != nil {
		return false, err
	}
	send := i.w.personSends(c, words)
	if err := i.w.write(ctx, func(tx *store.Tx) (err error) {
		done, err = tx.AnswerWaiting(id, person, words, send, i.w.Clock.Now())
		return err
	}); err != nil || !done {
		return false, err
	}
	i.sent(c, send)
	return true, nil
}

// Approve sends a held message of a bot, with other words if any are given. One
// that is not held is store.ErrNotHeld; where a person leads it is store.ErrLead.
func (i *Inbox) Approve(ctx context.Context, messageID, person, words string) (store.Message, error) {
	w := i.w
	held, c, err := i.held(ctx, messageID)
	if err != nil {
		return held, err
	}
	parts, happened, verdict := held.Parts, person+" approved the reply", store.Unchanged
	if words != "" && words != held.Text {
		parts, happened, verdict = message.Of(words), person+" changed the reply and approved it", store.Changed
		if learn.SaysTheSame(held.Text, words) {
			happened, verdict = person+" worded the reply otherwise and approved it", store.Worded
		}
	}
	var send *store.Effect
	if ch := w.Channels.named(c.Channel); ch == nil || !ch.fetches() {
		e := w.sends(c, held.TurnID, channel.Outgoing{Parts: parts, Answers: w.answered(ctx, held), Citations: held.Citations})
		send = &e
	}
	if err := w.write(ctx, func(tx *store.Tx) error {
		return tx.ApproveHeld(messageID, words, person, happened, verdict, send, w.Clock.Now())
	}); err != nil {
		return held, err
	}
	i.sent(c, send)
	m, err := w.store.Message(ctx, messageID)
	if brief, ok := find[bot.Brief](w.config.Load(), c.Bot); err == nil && verdict == store.Changed && (!ok || !brief.Private) {
		w.Library.LearnFrom(ctx, c.ID, m)
	}
	return m, err
}

// answered returns the channel's ids of the messages that a reply answers: those
// that its turn decided on.
func (w *Workspace) answered(ctx context.Context, reply store.Message) (ids []string) {
	list, err := w.store.Messages(ctx, reply.ConversationID, reply.Position, heard)
	if err != nil {
		return nil // the reply stands without
	}
	for _, m := range list {
		if m.TurnID == reply.TurnID && (m.Author == store.ByCustomer || m.Author == store.ByAutomated) {
			ids = append(ids, m.ExternalID)
		}
	}
	return ids
}

// Reject withdraws a held message, for a reason ("" for none); the customer waits
// for a person from then on.
func (i *Inbox) Reject(ctx context.Context, messageID, person, why string) (store.Message, error) {
	held, c, err := i.held(ctx, messageID)
	if err != nil {
		return held, err
	}
	happened := person + " rejected the reply"
	if why != "" {
		happened = fmt.Sprintf("%s: %s", happened, why)
	}
	if err := i.w.write(ctx, func(tx *store.Tx) error { return tx.RejectHeld(messageID, why, person, happened, i.w.Clock.Now()) }); err != nil {
		return held, err
	}
	i.sent(c, nil)
	return i.w.store.Message(ctx, messageID)
}

// AnswerAfterAll has a message decided on that nothing was to answer. One that is none of these
// is store.ErrNotFound.
func (i *Inbox) AnswerAfterAll(ctx context.Context, messageID, person string) error {
	conversation := ""
	if err := i.w.write(ctx, func(tx *store.Tx) (err error) {
		conversation, err = tx.AnswerAfterAll(messageID, person+" had it answered after all", i.w.Clock.Now())
		return err
	}); err != nil {
		return err
	}
	i.w.turns.signal(conversation)
	return nil
}

func (i *Inbox) held(ctx context.Context, messageID string) (store.Message, store.Conversation, error) {
	held, err := i.w.store.Message(ctx, messageID)
	if err != nil {
		return held, store.Conversation{}, err
	}
	c, err := i.w.store.Conversation(ctx, held.ConversationID)
	return held, c, err
}

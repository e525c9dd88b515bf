package engine

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"time"

	"urgentparrot.example/internal/channel"
	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/contact"
	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/core/learn"
	"urgentparrot.example/internal/core/message"
	"urgentparrot.example/internal/core/text"
	"urgentparrot.example/internal/core/thinker"
	"urgentparrot.example/internal/core/workspace"
	"urgentparrot.example/internal/library"
	"urgentparrot.example/internal/store"
)

// Drafts is channel.Room's.
func (r room) Drafts(ctx context.Context) (list []channel.Outgoing, err error) {
	w, ch := r.c.w, r.c.named(r.channel)
	if ch == nil {
		return nil, nil
	}
	var bots []string // whose replies are drafts
	for _, brief := range all[bot.Brief](w.config.Load()) {
		if brief.Mode == workspace.Draft {
			bots = append(bots, brief.Name)
		}
	}
	held, err := w.store.HeldAsDrafts(ctx, r.channel, ch.Replies == workspace.Draft, bots, mostHeld)
	if err != nil {
		return nil, err
	}
	for _, m := range held {
		c, err := w.store.Conversation(ctx, m.ConversationID)
		if err != nil {
			return nil, err
		}
		out := channel.Outgoing{ID: m.ID, Address: c.Address, Parts: m.Parts, Answers: w.answered(ctx, m), Citations: m.Citations, At: m.At}
		if err := w.address(ctx, m.ConversationID, &out); err != nil {
			return nil, err
		}
		list = append(list, out)
	}
	return list, nil
}

// Wanted is channel.Room's. A reply that is held for the message already is the draft; else one
// is made, as the bot would answer the message by itself.
func (r room) Wanted(ctx context.Context, in channel.Incoming) error {
	w, ch := r.c.w, r.c.named(r.channel)
	if ch == nil {
		return fmt.Errorf("the channel %s is closed", r.channel)
	}
	if in.Beside.Silent == "" {
		in.Beside.Silent = "it was there before; a draft was asked for by its flag"
	}
	received, err := r.Receive(ctx, in)
	if err != nil || received.Message == "" {
		return err
	}
	asked, err := w.store.Message(ctx, received.Message)
	if err != nil {
		return err
	}
	held, err := w.store.HeldIn(ctx, received.Conversation)
	if err != nil {
		return err
	}
	for _, h := range held {
		if h.TurnID == asked.TurnID {
			err := r.Keep(ctx, store.WantedMark+h.ID, "yes")
			w.hub.signal(Events)
			return err
		}
	}
	c, memory, err := w.store.ConversationWithMemory(ctx, received.Conversation)
	if err != nil {
		return err
	}
	trial := Trial{Bot: c.Bot, Message: asked.Text, Memory: memory, Wanted: true, State: dialogue.State{Lead: dialogue.LedByBot}}
	if err := w.follows(ctx, asked, &trial); err != nil {
		return err
	}
	limited, cancel := context.WithTimeout(ctx, draftTime)
	defer cancel()
	turn, err := w.Try(limited, trial)
	if errors.Is(err, store.ErrNotFound) { // that bot is gone
		trial.Bot = ch.Bot
		turn, err = w.Try(limited, trial)
	}
	if err != nil {
		return err
	}
	now := w.Clock.Now()
	trace := turn.Decision.Trace
	if !says(trace.Code) {
		err := w.write(ctx, func(tx *store.Tx) error {
			return tx.Happened(c.ID, "A flag in the mailbox asked for a draft. The bot does not know an answer.", now)
		})
		return err
	}
	raw, err := json.Marshal(trace)
	if err != nil {
		return err
	}
	reply := store.Message{
		Author: store.ByBot, Name: w.personaOf(turn.Decision.Bot, c.Bot), Text: turn.Words, Parts: message.Of(turn.Words), Citations: turn.Citations, State: store.MessageHeld,
		Topic: strings.Join(topicsOf(trace), "\n"), Confidence: surenessOf(trace),
	}
	return w.write(ctx, func(tx *store.Tx) error {
		id, err := tx.HoldAsked(asked, store.Turn{ID: store.NewID(), ConversationID: c.ID, State: "done", Code: trace.Code, Trace: string(raw)}, reply, "A flag in the mailbox asked for a draft", now)
		if err != nil {
			return err
		}
		return tx.PutChannelState(r.channel, store.WantedMark+id, "yes")
	})
}

// follows puts what was said in a conversation before a message before a trial of it.
func (w *Workspace) follows(ctx context.Context, asked store.Message, t *Trial) error {
	said, err := w.store.Messages(ctx, asked.ConversationID, asked.Position, talked)
	for _, m := range said {
		if m.State == store.MessageWithdrawn || m.State == store.MessageHeld {
			continue // nobody heard it
		}
		switch m.Author {
		case store.ByCustomer:
			for _, part := range answer.Split(m.Text) {
				if part.Kind == answer.Question {
					t.State.LastQuestion = part.Text
				}
			}
		case store.ByBot:
			t.LastReply = m.Text
		case store.ByPerson:
		default:
			continue
		}
		t.Talk = append(t.Talk, thinker.Line{By: string(m.Author), Text: m.Text})
	}
	return err
}

// draftTime is how long a bot may think about a draft that was asked for.
const draftTime = time.Minute

// says reports whether a turn that ended so says something that a person could send.
func says(code dialogue.Code) bool {
	switch code {
	case dialogue.CodeAnswered, dialogue.CodeAnsweredInPart, dialogue.CodeOffered:
		return true
	}
	return false
}

// personaOf is what a bot is called, the first of some that is there.
func (w *Workspace) personaOf(names ...string) string {
	for _, name := range names {
		if brief, ok := find[bot.Brief](w.config.Load(), name); ok {
			return brief.Persona
		}
	}
	return ""
}

// Teach is channel.Room's: an answer of the business's people teaches with what it answers, a
// customer's message with what was replied to it, anything else by itself, under its subject.
func (r room) Teach(ctx context.Context, t channel.Taught) error {
	w := r.c.w
	lesson := library.Taught{Question: t.Beside.Subject, Answer: t.Text, Bot: t.Bot, Author: cmp.Or(t.Name, inTheMailbox), Message: t.ExternalID}
	question, answer, err := w.store.Answered(ctx, r.channel, t.ExternalID, t.Thread.References)
	switch {
	case err != nil && !errors.Is(err, store.ErrNotFound):
		return err
	case t.Own && question.ID != "":
		lesson.Question, lesson.Conversation = question.Text, question.ConversationID
	case t.Own && t.Beside.Quoted != "":
		lesson.Question = t.Beside.Quoted
	case answer.ID != "":
		lesson.Question, lesson.Answer, lesson.Conversation, lesson.Author = t.Text, answer.Text, answer.ConversationID, answer.Name
	}
	settings := w.Documents.Settings()
	for kind, value := range map[contact.Type]string{contact.Name: t.Name, contact.Email: t.Address} {
		if field, ok := settings.Fields.Of(kind); ok && value != "" && !t.Own {
			lesson.Who = append(lesson.Who, contact.Fact{Field: field.Name, Value: value})
		}
	}
	learnt, err := w.Library.LearnFromText(ctx, lesson)
	if err == nil && !learnt {
		w.log.Info("nothing could be learnt of a mail that somebody chose", "channel", r.channel, "subject", t.Beside.Subject)
	}
	return err
}

// Changed is channel.Room's.
func (r room) Changed() (<-chan struct{}, func()) { return r.c.w.hub.watch(Events) }

// inTheMailbox is who did what was done in a mail program, where that does not say.
const inTheMailbox = "Somebody in the mailbox"

// Discarded is channel.Room's.
func (r room) Discarded(ctx context.Context, id string) error {
	_, err := r.c.w.Inbox.Reject(ctx, id, inTheMailbox, "the draft was deleted")
	if errors.Is(err, store.ErrNotHeld) || errors.Is(err, store.ErrNotFound) {
		return nil
	}
	return err
}

// withoutSources leaves out of a mail that was sent the lines with which drafts tell what they
// stand on.
func withoutSources(sent string) string {
	before, _, _ := strings.Cut(sent, "\n\nFrom:\n- ")
	return strings.TrimSpace(before)
}

// Sent is channel.Room's. What was sent for a held reply settles it: approved, as it was or
// changed. Anything else makes its sender lead the conversation. What belongs to no
// conversation is none of ours.
func (r room) Sent(ctx context.Context, in channel.Incoming) error {
	w := r.c.w
	person := in.Name
	if person == "" || person == w.Documents.Settings().Title {
		person = inTheMailbox
	}
	s := store.SentPast{Channel: r.channel, Address: in.Address, ExternalID: in.ExternalID, Person: person, Text: in.Text, Thread: store.Thread{Subject: in.Thread.Subject, References: in.Thread.References}, Beside: in.Beside}
	own, _, _ := strings.Cut(in.ExternalID, "@")
	if m, err := w.store.Message(ctx, own); err == nil && m.State != store.MessageHeld {
		return nil // it went out from here, and the server kept a copy
	}
	conversation, known := "", false
	now := w.Clock.Now()
	if err := w.write(ctx, func(tx *store.Tx) (err error) {
		conversation, known, err = tx.ConversationOf(s, now)
		return err
	}); err != nil || known || conversation == "" {
		return err
	}
	c, err := w.store.Conversation(ctx, conversation)
	if err != nil {
		return err
	}
	held, err := w.store.HeldIn(ctx, conversation)
	if err != nil {
		return err
	}
	var said store.Message
	verdict := store.Changed
	if len(held) > 0 {
		last := held[len(held)-1]
		sent := withoutSources(in.Text + "\n\n" + in.Beside.Signature)
		happened := person + " changed the draft and sent it"
		switch {
		case text.Squeeze(sent) == text.Squeeze(last.Text):
			verdict, happened, s.Text = store.Unchanged, person+" sent the draft", last.Text
		case learn.SaysTheSame(last.Text, sent):
			s.Text = sent
			verdict, happened = store.Worded, person+" worded the draft otherwise and sent it"
		}
		if err := w.write(ctx, func(tx *store.Tx) error { return tx.SettleHeld(last.ID, s, verdict, happened, now) }); err != nil {
			return err
		}
		if said, err = w.store.Message(ctx, last.ID); err != nil {
			return err
		}
	} else {
		if err := w.write(ctx, func(tx *store.Tx) (err error) {
			said, err = tx.JoinSent(conversation, s, now)
			return err
		}); err != nil {
			return err
		}
		w.Outbox.hush(conversation)
	}
	w.hub.signal(customerTopic(c.Channel, c.Address))
	if brief, ok := find[bot.Brief](w.config.Load(), c.Bot); verdict == store.Changed && (!ok || !brief.Private) {
		w.Library.LearnFrom(ctx, conversation, said)
	}
	return nil
}

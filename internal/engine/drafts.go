package engine

import (
	"context"
	"errors"
	"strings"

	"urgentparrot.example/internal/channel"
	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/learn"
	"urgentparrot.example/internal/core/text"
	"urgentparrot.example/internal/core/workspace"
	"urgentparrot.example/internal/store"
)

// Drafts is channel.Room's.
func (r room) Drafts(ctx context.Context) (list []channel.Outgoing, err error) {
	w, ch := r.c.w, r.c.named(r.channel)
	if ch == nil || ch.Replies != workspace.Draft {
		return nil, nil
	}
	held, err := w.store.Held(ctx, mostHeld)
	if err != nil {
		return nil, err
	}
	for _, h := range held {
		if h.Conversation.Channel != r.channel {
			continue
		}
		out := channel.Outgoing{ID: h.ID, Address: h.Conversation.Address, Parts: h.Parts, Answers: w.answered(ctx, h.Message), Citations: h.Citations, At: h.At}
		if err := w.address(ctx, h.ConversationID, &out); err != nil {
			return nil, err
		}
		list = append(list, out)
	}
	return list, nil
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

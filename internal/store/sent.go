package store

import (
	"context"
	"errors"
	"slices"
	"strings"
	"time"

	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/core/message"
)

// A SentPast is what one of the business's people sent past the product.
type SentPast struct {
	Channel, Address string // of the customer
	ExternalID       string
	Person, Text     string
	Thread           Thread
	Beside           message.Beside
}

// ConversationOf is the conversation that something sent past the product belongs to, "" if
// there is none; and whether it is here already.
func (t *Tx) ConversationOf(s SentPast, now time.Time) (id string, known bool, err error) {
	err = t.row(`SELECT conversation_id FROM message WHERE channel = ? AND external_id = ?`, []any{s.Channel, s.ExternalID}, &id)
	if err == nil || !errors.Is(err, ErrNotFound) {
		return id, err == nil, err
	}
	id, err = t.threadOf(Incoming{Channel: s.Channel, Address: s.Address, Thread: &s.Thread}, now)
	return id, false, err
}

// SettleHeld marks a held reply as sent, in the words in which a person sent it past the
// product.
func (t *Tx) SettleHeld(messageID string, s SentPast, verdict Verdict, happened string, now time.Time) error {
	distrusted, err := t.judged(messageID, verdict, s.Text, "", s.Person, now)
	if err != nil {
		return err
	}
	var conversation string
	if err := t.row(`UPDATE message SET state = 'sent', shown = ?, text = ?, parts = '', external_id = ?, beside = ? WHERE id = ? AND state = 'held' RETURNING conversation_id`,
		[]any{NewID(), s.Text, s.ExternalID, asJSON(s.Beside), messageID}, &conversation); err != nil {
		return err
	}
	if _, err := t.exec(`UPDATE conversation SET preview = ?, updated_at = ?, waiting_since = NULL, reason = '', version = version + 1 WHERE id = ?`, preview(s.Text), millis(now), conversation); err != nil {
		return err
	}
	if err := t.happened(conversation, happened+heldAgain(distrusted), now); err != nil {
		return err
	}
	return t.event("message.approved", conversation, map[string]any{"conversation": conversation, "message": messageID}, now)
}

// JoinSent adds to a conversation what a person sent past the product. The person leads it
// from then on: bots fall silent.
func (t *Tx) JoinSent(conversation string, s SentPast, now time.Time) (Message, error) {
	m := Message{ID: NewID(), ConversationID: conversation, Author: ByPerson, Name: s.Person, Parts: message.Of(s.Text), Text: s.Text, State: MessageSent, ExternalID: s.ExternalID, Beside: s.Beside, At: now}
	m.Shown = m.ID
	if err := t.reopen(conversation); err != nil {
		return m, err
	}
	if err := t.Take(conversation, s.Person, true, s.Person+" answered from their own mail program; the bot is silent", now); err != nil && !errors.Is(err, ErrLead) {
		return m, err
	}
	if err := t.row(`UPDATE conversation SET messages = messages + 1, preview = ?, updated_at = ?, waiting_since = NULL WHERE id = ? RETURNING messages`, []any{preview(s.Text), millis(now), conversation}, &m.Position); err != nil {
		return m, err
	}
	if _, err := t.insert(m, s.Channel); err != nil {
		return m, err
	}
	return m, t.event("message.replied", conversation, map[string]any{"conversation": conversation, "message": m.ID}, now)
}

// HoldAsked keeps a reply that a person asked a bot for, to a message, as one that is held, and
// returns its id.
func (t *Tx) HoldAsked(asked Message, turn Turn, reply Message, happened string, now time.Time) (id string, err error) {
	conversation := asked.ConversationID
	if err := t.happened(conversation, happened, now); err != nil {
		return "", err
	}
	var channel, state string
	if err := t.row(`UPDATE conversation SET messages = messages + 1, version = version + 1, updated_at = ?, waiting_since = coalesce(waiting_since, ?), reason = CASE reason WHEN '' THEN ? ELSE reason END WHERE id = ? RETURNING messages, channel, state`,
		[]any{millis(now), millis(now), bot.Held, conversation}, &reply.Position, &channel, &state); err != nil {
		return "", err
	}
	if _, err := t.exec(`INSERT INTO turn (id, conversation_id, state, code, results, thoughts, trace, at, before) VALUES (?, ?, ?, ?, '[]', '[]', ?, ?, ?)`, turn.ID, conversation, turn.State, turn.Code, turn.Trace, millis(now), state); err != nil {
		return "", err
	}
	if _, err := t.exec(`UPDATE message SET turn_id = ? WHERE id = ?`, turn.ID, asked.ID); err != nil {
		return "", err
	}
	reply.ID, reply.ConversationID, reply.TurnID, reply.At = NewID(), conversation, turn.ID, now
	if _, err := t.insert(reply, channel); err != nil {
		return "", err
	}
	return reply.ID, t.event("turn.decided", conversation, map[string]any{"conversation": conversation, "turn": turn.ID}, now)
}

// Happened puts what happened in line with the messages of a conversation.
func (t *Tx) Happened(conversation, what string, now time.Time) error {
	if err := t.happened(conversation, what, now); err != nil {
		return err
	}
	return t.event("conversation.changed", conversation, map[string]any{"conversation": conversation}, now)
}

// Answered returns what a message of a channel with threads answers, of the customer, and what
// was answered to it, by a bot or a person; each may be missing. A message that is not here, and
// refers to none that is, is ErrNotFound.
func (s *Store) Answered(ctx context.Context, channel, externalID string, references []string) (question, answer Message, err error) {
	at := func(id string) (Message, error) {
		return scanMessage(func(into ...any) error {
			return s.reader.row(ctx, `SELECT `+messageColumns+` FROM message WHERE channel = ?1 AND external_id >= ?2 || '#' AND external_id < ?2 || '$' OR id = ?3 AND conversation_id IN (SELECT id FROM conversation WHERE channel = ?1) LIMIT 1`, []any{channel, id, before(id, "@")}, into...)
		})
	}
	for _, reference := range slices.Backward(references) {
		question, err = at(reference)
		if err == nil && question.Author != ByBot && question.Author != ByPerson {
			break
		}
		question = Message{}
		if err != nil && !errors.Is(err, ErrNotFound) {
			return question, answer, err
		}
	}
	own, err := at(before(externalID, ThreadMark))
	if err != nil {
		return question, answer, err
	}
	answer, err = scanMessage(func(into ...any) error {
		return s.reader.row(ctx, `SELECT `+messageColumns+` FROM message WHERE conversation_id = ? AND position > ? AND author IN ('bot', 'person') AND state IN ('made', 'sent') ORDER BY position LIMIT 1`, []any{own.ConversationID, own.Position}, into...)
	})
	if errors.Is(err, ErrNotFound) {
		err = nil
	}
	return question, answer, err
}

func before(s, mark string) string {
	s, _, _ = strings.Cut(s, mark)
	return s
}

// HeldIn returns the held replies of a conversation, the oldest first.
func (s *Store) HeldIn(ctx context.Context, conversation string) (list []Message, err error) {
	err = s.reader.rows(ctx, `SELECT `+messageColumns+` FROM message WHERE conversation_id = ? AND state = 'held' ORDER BY position`, []any{conversation}, func(scan func(...any) error) error {
		m, err := scanMessage(scan)
		list = append(list, m)
		return err
	})
	return list, err
}

// LeadOf is who leads a conversation.
func (t *Tx) LeadOf(conversation string) (lead dialogue.Lead, err error) {
	err = t.row(`SELECT lead FROM conversation WHERE id = ?`, []any{conversation}, &lead)
	return lead, err
}

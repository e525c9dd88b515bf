package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"slices"
	"time"

	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/core/text"
)

// Author says who wrote a message.
type Author string

// The authors.
const (
	ByCustomer  Author = "customer"
	ByBot       Author = "bot"
	ByPerson    Author = "person"
	ByAutomated Author = "automated" // a machine, or the channel's own account: starts nothing
	ByEvent     Author = "event"     // not said by anyone: what happened, in line
)

// A Message is one message of a conversation.
type Message struct {
	ID             string
	ConversationID string
	Position       int // from 1
	Author         Author
	Name           string // of the bot or person
	Text           string
	ExternalID     string
	TurnID         string // the turn that decided on it, or that made it
	Citations      []answer.Citation
	Delivery       string // sending, sent, failed, cancelled; "" for what is not sent
	At             time.Time
}

// How a message goes out is the state of the effect that carries it, which has
// the same id; without one, the channel fetches it.
const messageColumns = `id, conversation_id, position, author, name, text, coalesce(external_id, ''), coalesce(turn_id, ''), citations,
	CASE WHEN author NOT IN ('bot', 'person') THEN '' ELSE coalesce((SELECT CASE e.state WHEN 'pending' THEN 'sending' WHEN 'done' THEN 'sent' ELSE e.state END
		FROM effect e WHERE e.id = message.id), 'sent') END AS delivery, at`

func scanMessage(scan func(...any) error) (m Message, err error) {
	var at int64
	var citations string
	if err = scan(&m.ID, &m.ConversationID, &m.Position, &m.Author, &m.Name, &m.Text, &m.ExternalID, &m.TurnID, &citations, &m.Delivery, &at); err != nil {
		return m, err
	}
	m.At = fromMillis(at)
	if citations != "[]" {
		err = json.Unmarshal([]byte(citations), &m.Citations)
	}
	return m, err
}

// Messages returns the messages of a conversation before a position (0: the
// end), at most limit, oldest first.
func (s *Store) Messages(ctx context.Context, conversationID string, before, limit int) (list []Message, err error) {
	if before <= 0 {
		before = 1 << 31
	}
	err = s.reader.rows(ctx, `SELECT `+messageColumns+` FROM message WHERE conversation_id = ? AND position < ? ORDER BY position DESC LIMIT ?`,
		[]any{conversationID, before, limit}, func(scan func(...any) error) error {
			m, err := scanMessage(scan)
			list = append(list, m)
			return err
		})
	slices.Reverse(list)
	return list, err
}

// Heard returns what a turn looks at of the latest messages: id, author, text,
// external id and turn; at most limit, oldest first.
func (s *Store) Heard(ctx context.Context, conversationID string, limit int) (list []Message, err error) {
	err = s.reader.rows(ctx, `SELECT id, author, text, coalesce(external_id, ''), coalesce(turn_id, ''), at FROM message WHERE conversation_id = ? ORDER BY position DESC LIMIT ?`,
		[]any{conversationID, limit}, func(scan func(...any) error) error {
			var m Message
			var at int64
			err := scan(&m.ID, &m.Author, &m.Text, &m.ExternalID, &m.TurnID, &at)
			m.At = fromMillis(at)
			list = append(list, m)
			return err
		})
	slices.Reverse(list)
	return list, err
}

// Message returns one message, or ErrNotFound.
func (s *Store) Message(ctx context.Context, id string) (m Message, err error) {
	err = ErrNotFound
	failed := s.reader.rows(ctx, `SELECT `+messageColumns+` FROM message WHERE id = ?`, []any{id}, func(scan func(...any) error) error {
		m, err = scanMessage(scan)
		return err
	})
	return m, errors.Join(failed, err)
}

// MessagesOfHandle returns what was said with a handle after a message id, at
// most limit, oldest first: what a visitor of the website sees.
func (s *Store) MessagesOfHandle(ctx context.Context, channel, address, after string, limit int) (list []Message, err error) {
	err = s.reader.rows(ctx, `SELECT `+messageColumns+` FROM message WHERE conversation_id IN (SELECT c.id FROM conversation c JOIN handle h ON h.contact_id = c.contact_id
		WHERE h.channel = ?1 AND h.address = ?2 AND c.channel = ?1 AND c.address = ?2)
		AND author IN ('customer', 'bot', 'person') AND delivery NOT IN ('cancelled', 'failed') AND id > ?3 ORDER BY id LIMIT ?4`,
		[]any{channel, address, after, limit}, func(scan func(...any) error) error {
			m, err := scanMessage(scan)
			list = append(list, m)
			return err
		})
	return list, err
}

// Incoming is a message as a channel brings it.
type Incoming struct {
	Channel, Address string
	Bot              string // for a new conversation
	ExternalID       string
	Author           Author // customer, or automated
	Text             string
}

// Received says what became of an incoming message.
type Received struct {
	MessageID, ConversationID string
	Repeat                    bool // it had been received before
}

// Receive keeps an incoming message, opening a conversation if there is none. A
// message that had been received before is a repeat and changes nothing.
// likely is the conversation that the handle had last, "" if it is not known; it
// spares looking, and may be out of date.
func (t *Tx) Receive(in Incoming, likely string, now time.Time) (r Received, err error) {
	m := Message{ID: NewID(), Author: in.Author, Text: in.Text, ExternalID: in.ExternalID, At: now}
	err = ErrNotFound
	if likely != "" {
		m.ConversationID = likely
		m.Position, err = t.nextPosition(likely)
	}
	if errors.Is(err, ErrNotFound) {
		if m.ConversationID, err = t.openConversation(in, now); err == nil {
			m.Position, err = t.nextPosition(m.ConversationID)
		}
	}
	if err != nil {
		return r, err
	}
	inserted, err := t.insert(m, in.Channel)
	if err != nil {
		return r, err
	}
	if !inserted {
		r.Repeat = true
		return r, t.row(`SELECT id, conversation_id FROM message WHERE channel = ? AND external_id = ?`, []any{in.Channel, in.ExternalID}, &r.MessageID, &r.ConversationID)
	}
	counted := 0
	if in.Author == ByCustomer {
		counted = 1
	}
	if _, err := t.exec(`UPDATE conversation SET messages = ?5, incoming = incoming + ?1, preview = ?2, updated_at = ?3,
		waiting_since = CASE WHEN lead = 'person' AND ?1 = 1 THEN coalesce(waiting_since, ?3) ELSE waiting_since END
		WHERE id = ?4`, counted, preview(in.Text), millis(now), m.ConversationID, m.Position); err != nil {
		return r, err
	}
	r.MessageID, r.ConversationID = m.ID, m.ConversationID
	return r, t.event("message.received", r.ConversationID, map[string]any{"conversation": r.ConversationID, "message": r.MessageID}, now)
}

// nextPosition returns the position of the next message of an open conversation;
// ErrNotFound if it is not open.
func (t *Tx) nextPosition(conversation string) (position int, err error) {
	err = t.row(`SELECT messages + 1 FROM conversation WHERE id = ? AND lead <> 'closed'`, []any{conversation}, &position)
	return position, err
}

// openConversation returns the open conversation with a handle, or opens one.
func (t *Tx) openConversation(in Incoming, now time.Time) (id string, err error) {
	err = t.row(`SELECT id FROM conversation WHERE channel = ? AND address = ? AND lead <> 'closed'`, []any{in.Channel, in.Address}, &id)
	if !errors.Is(err, ErrNotFound) {
		return id, err
	}
	contact, err := t.contactOf(in.Channel, in.Address, now)
	if err != nil {
		return "", err
	}
	id = NewID()
	_, err = t.exec(`INSERT INTO conversation (id, channel, address, contact_id, bot, lead, opened_at, updated_at) VALUES (?, ?, ?, ?, ?, 'bot', ?, ?)`,
		id, in.Channel, in.Address, contact, in.Bot, millis(now), millis(now))
	return id, err
}

// insert keeps a message. It reports false for one that the channel brought
// before.
func (t *Tx) insert(m Message, channel string) (bool, error) {
	citations := "[]"
	if len(m.Citations) > 0 {
		citations = asJSON(m.Citations)
	}
	n, err := t.exec(`INSERT INTO message (id, conversation_id, position, author, name, text, channel, external_id, turn_id, citations, at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)
		ON CONFLICT (channel, external_id) WHERE external_id IS NOT NULL DO NOTHING`,
		m.ID, m.ConversationID, m.Position, m.Author, m.Name, m.Text, channel, nullable(m.ExternalID), nullable(m.TurnID), citations, millis(m.At))
	return n > 0, err
}

func nullable(s string) sql.NullString { return sql.NullString{String: s, Valid: s != ""} }

// happened puts what happened in line with the messages.
func (t *Tx) happened(conversationID, what string, now time.Time) error {
	m := Message{ID: NewID(), ConversationID: conversationID, Author: ByEvent, Text: what, At: now}
	var channel string
	if err := t.row(`UPDATE conversation SET messages = messages + 1 WHERE id = ? RETURNING messages, channel`, []any{conversationID}, &m.Position, &channel); err != nil {
		return err
	}
	_, err := t.insert(m, channel)
	return err
}

// SayAsPerson adds a person's message. With send it goes out by that effect,
// which gets the message's id; without, the channel fetches it. Only whoever has
// taken the conversation may; else it is ErrLead.
func (t *Tx) SayAsPerson(conversationID, person, words string, send *Effect, now time.Time) (Message, error) {
	m := Message{ID: NewID(), ConversationID: conversationID, Author: ByPerson, Name: person, Text: words, Delivery: "sent", At: now}
	var channel string
	err := t.row(`UPDATE conversation SET messages = messages + 1, preview = ?, updated_at = ?, waiting_since = NULL
		WHERE id = ? AND lead = 'person' AND assignee = ? RETURNING messages, channel`, []any{preview(words), millis(now), conversationID, person}, &m.Position, &channel)
	if errors.Is(err, ErrNotFound) {
		return m, t.whyNot(conversationID)
	}
	if err != nil {
		return m, err
	}
	if send != nil {
		m.Delivery = "sending"
		send.ID = m.ID
		if err := t.putEffect(*send, now); err != nil {
			return m, err
		}
	}
	if _, err := t.insert(m, channel); err != nil {
		return m, err
	}
	return m, t.event("message.replied", conversationID, map[string]any{"conversation": conversationID, "message": m.ID}, now)
}

// preview is the beginning of a text, for lists.
func preview(s string) string {
	s = text.Squeeze(s)
	if runes := []rune(s); len(runes) > 140 {
		return string(runes[:139]) + "…"
	}
	return s
}

package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"slices"
	"strings"
	"time"

	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/core/message"
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

// MessageState says where a message stands on its way.
type MessageState string

// The states of messages. Events have none.
const (
	MessageReceived  MessageState = "received"  // came in
	MessageMade      MessageState = "made"      // to be sent
	MessageHeld      MessageState = "held"      // waits for a person's approval
	MessageSent      MessageState = "sent"      // the other side has it, or can fetch it
	MessageFailed    MessageState = "failed"    // given up
	MessageWithdrawn MessageState = "withdrawn" // taken back before it was sent
)

// A Message is one message of a conversation.
type Message struct {
	ID             string
	ConversationID string
	Position       int // from 1
	Author         Author
	Name           string // of the bot or person
	Parts          []message.Part
	Text           string // of all parts
	ExternalID     string
	TurnID         string // the turn that decided on it, or that made it
	Citations      []answer.Citation
	State          MessageState
	Beside         message.Beside
	Topic          string  // of a bot's reply: what it stands on; kept, and read by Held
	Confidence     float64 // and how sure it was; 0: nothing was answered
	Shown          string  // the id under which the customer sees it; "" while they do not
	At             time.Time
}

const messageColumns = `id, conversation_id, position, author, name, text, parts, coalesce(external_id, ''), coalesce(turn_id, ''), citations, state, coalesce(shown, ''), at, beside`

func scanMessage(scan func(...any) error) (m Message, err error) {
	var at int64
	var parts, citations, beside string
	if err = scan(&m.ID, &m.ConversationID, &m.Position, &m.Author, &m.Name, &m.Text, &parts, &m.ExternalID, &m.TurnID, &citations, &m.State, &m.Shown, &at, &beside); err != nil {
		return m, err
	}
	m.At = fromMillis(at)
	if m.Parts = message.Of(m.Text); parts != "" {
		if err := json.Unmarshal([]byte(parts), &m.Parts); err != nil {
			return m, err
		}
	}
	if beside != "" {
		if err := fromJSON(beside, &m.Beside); err != nil {
			return m, err
		}
	}
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
	err = s.reader.rows(ctx, `SELECT id, position, author, text, coalesce(external_id, ''), coalesce(turn_id, ''), at FROM message WHERE conversation_id = ? AND state <> 'withdrawn' ORDER BY position DESC LIMIT ?`,
		[]any{conversationID, limit}, func(scan func(...any) error) error {
			var m Message
			var at int64
			err := scan(&m.ID, &m.Position, &m.Author, &m.Text, &m.ExternalID, &m.TurnID, &at)
			m.At = fromMillis(at)
			list = append(list, m)
			return err
		})
	slices.Reverse(list)
	return list, err
}

// Unheard returns the same of the customer's messages that no turn has decided on, the
// oldest at most limit.
func (s *Store) Unheard(ctx context.Context, conversationID string, limit int) (list []Message, err error) {
	err = s.reader.rows(ctx, `SELECT id, position, author, text, coalesce(external_id, ''), at FROM message
		WHERE conversation_id = ? AND author = 'customer' AND turn_id IS NULL AND state <> 'withdrawn' ORDER BY position LIMIT ?`,
		[]any{conversationID, limit}, func(scan func(...any) error) error {
			var m Message
			var at int64
			err := scan(&m.ID, &m.Position, &m.Author, &m.Text, &m.ExternalID, &at)
			m.At = fromMillis(at)
			list = append(list, m)
			return err
		})
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

// MessagesOfHandle returns what a customer sees of what was said with a handle,
// after a Shown id, at most limit, in that order.
func (s *Store) MessagesOfHandle(ctx context.Context, channel, address, after string, limit int) (list []Message, err error) {
	err = s.reader.rows(ctx, `SELECT `+messageColumns+` FROM message WHERE conversation_id IN (SELECT c.id FROM conversation c JOIN handle h ON h.contact_id = c.contact_id
		WHERE h.channel = ?1 AND h.address = ?2 AND c.channel = ?1 AND c.address = ?2)
		AND shown > ?3 ORDER BY shown LIMIT ?4`,
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
	Name             string  // of who wrote, as the channel tells it; "" if it does not
	Claimed          *Fact   // what it says of who wrote, nil for nothing
	Vouched          *Fact   // what the channel vouches for about who wrote, nil for nothing
	Thread           *Thread // what it belongs to; nil: the channel has no threads
	Beside           message.Beside
	Files            []Attachment
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
	m := Message{ID: NewID(), Author: in.Author, Name: in.Name, Text: in.Text, ExternalID: in.ExternalID, State: MessageReceived, Beside: in.Beside, At: now}
	if in.Author == ByCustomer {
		m.Shown = m.ID
	}
	err = ErrNotFound
	if in.Thread != nil {
		// A repeat is recognised first: it must not open the conversation anew.
		if err := t.row(`SELECT id, conversation_id FROM message WHERE channel = ? AND external_id = ?`, []any{in.Channel, in.ExternalID}, &r.MessageID, &r.ConversationID); err == nil {
			r.Repeat = true
			return r, nil
		} else if !errors.Is(err, ErrNotFound) {
			return r, err
		}
		if likely, err = t.threadOf(in, now); err != nil {
			return r, err
		}
		if err = ErrNotFound; likely != "" && in.Author == ByCustomer {
			if err := t.reopen(likely); err != nil {
				return r, err
			}
		}
	}
	if likely != "" {
		m.ConversationID = likely
		m.Position, err = t.nextPosition(likely)
	}
	if errors.Is(err, ErrNotFound) && likely != "" && in.Thread != nil { // it is closed, and stays so
		m.ConversationID = likely
		err = t.row(`SELECT messages + 1 FROM conversation WHERE id = ?`, []any{likely}, &m.Position)
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
	if err := t.putAttachments(m.ID, in.Files); err != nil {
		return r, err
	}
	counted := 0
	if in.Author == ByCustomer {
		counted = 1
		if err := t.bringListeners(m.ConversationID); err != nil {
			return r, err
		}
	}
	if _, err := t.exec(`UPDATE conversation SET messages = ?5, incoming = incoming + ?1, preview = ?2, updated_at = ?3,
		waiting_since = CASE WHEN lead = 'person' AND ?1 = 1 THEN coalesce(waiting_since, ?3) ELSE waiting_since END
		WHERE id = ?4`, counted, preview(in.Text), millis(now), m.ConversationID, m.Position); err != nil {
		return r, err
	}
	if in.Author == ByCustomer {
		if err := t.undoHeld(m.ConversationID, now); err != nil {
			return r, err
		}
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
	subject := ""
	if err = ErrNotFound; in.Thread != nil {
		subject = Subject(in.Thread.Subject)
	} else {
		err = t.row(`SELECT id FROM conversation WHERE channel = ? AND address = ? AND lead <> 'closed'`, []any{in.Channel, in.Address}, &id)
	}
	if !errors.Is(err, ErrNotFound) {
		return id, err
	}
	contact, err := t.contactOf(in.Channel, in.Address, now)
	if err != nil {
		return "", err
	}
	if in.Vouched != nil {
		if err := t.vouch(contact, *in.Vouched); err != nil {
			return "", err
		}
	}
	if in.Claimed != nil {
		var there int
		if err := t.row(`SELECT 1 FROM fact WHERE contact_id = ? AND field = ? LIMIT 1`, []any{contact, in.Claimed.Field}, &there); errors.Is(err, ErrNotFound) {
			err = t.learn(contact, *in.Claimed)
			if err != nil {
				return "", err
			}
		} else if err != nil {
			return "", err
		}
	}
	id = NewID()
	_, err = t.exec(`INSERT INTO conversation (id, channel, address, contact_id, bot, lead, subject, opened_at, updated_at) VALUES (?, ?, ?, ?, ?, 'bot', ?, ?, ?)`,
		id, in.Channel, in.Address, contact, in.Bot, subject, millis(now), millis(now))
	if err != nil {
		return id, err
	}
	return id, t.bringRuns(in.Channel, in.Address, id)
}

// insert keeps a message. It reports false for one that the channel brought
// before.
func (t *Tx) insert(m Message, channel string) (bool, error) {
	citations := "[]"
	if len(m.Citations) > 0 {
		citations = asJSON(m.Citations)
	}
	parts := ""
	if !message.IsText(m.Parts, m.Text) {
		parts = asJSON(m.Parts)
	}
	beside := ""
	if !m.Beside.IsEmpty() {
		beside = asJSON(m.Beside)
	}
	n, err := t.exec(`INSERT INTO message (id, conversation_id, position, author, name, text, parts, channel, external_id, turn_id, citations, state, shown, at, beside, topic, confidence) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)
		ON CONFLICT (channel, external_id) WHERE external_id IS NOT NULL DO NOTHING`,
		m.ID, m.ConversationID, m.Position, m.Author, m.Name, m.Text, parts, channel, nullable(m.ExternalID), nullable(m.TurnID), citations, m.State, nullable(m.Shown), millis(m.At), beside, m.Topic, sql.NullFloat64{Float64: m.Confidence, Valid: m.Confidence > 0})
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

// personMessage is a message that a person writes. With send it goes out by that
// effect; without, the channel fetches it.
func personMessage(conversationID, person, words string, send *Effect, now time.Time) Message {
	m := Message{ID: NewID(), ConversationID: conversationID, Author: ByPerson, Name: person, Parts: message.Of(words), Text: words, State: MessageSent, At: now}
	if m.Shown = m.ID; send != nil {
		m.State = MessageMade
	}
	return m
}

// putSaid keeps what is said to a customer, and the effect that carries it, which
// gets the message's id; nil where the channel fetches it.
func (t *Tx) putSaid(m Message, channel string, send *Effect, now time.Time) error {
	if _, err := t.insert(m, channel); err != nil || send == nil {
		return err
	}
	send.ID = m.ID
	return t.putEffect(*send, now)
}

// SayAsPerson adds a person's message. With send it goes out by that effect,
// which gets the message's id; without, the channel fetches it. Only whoever has
// taken the conversation may; else it is ErrLead.
func (t *Tx) SayAsPerson(conversationID, person, words string, send *Effect, now time.Time) (Message, error) {
	m := personMessage(conversationID, person, words, send, now)
	var channel string
	err := t.row(`UPDATE conversation SET messages = messages + 1, preview = ?, updated_at = ?, waiting_since = NULL
		WHERE id = ? AND lead = 'person' AND assignee = ? RETURNING messages, channel`, []any{preview(words), millis(now), conversationID, person}, &m.Position, &channel)
	if errors.Is(err, ErrNotFound) {
		return m, t.whyNot(conversationID)
	}
	if err != nil {
		return m, err
	}
	if err := t.putSaid(m, channel, send, now); err != nil {
		return m, err
	}
	return m, t.event("message.replied", conversationID, map[string]any{"conversation": conversationID, "message": m.ID}, now)
}

// ErrNotHeld is returned when a message is not held, or no longer.
var ErrNotHeld = errors.New("the message is not held")

// ApproveHeld sends a held message, with other words if any are given. The bot
// must still lead the conversation, or nobody; else it is ErrLead. The effect, if
// any, gets the message's id. What the person did is kept with it.
func (t *Tx) ApproveHeld(messageID, words, person, happened string, verdict Verdict, send *Effect, now time.Time) error {
	var conversation, said string
	var lead dialogue.Lead
	if err := t.row(`SELECT m.conversation_id, m.text, c.lead FROM message m JOIN conversation c ON c.id = m.conversation_id WHERE m.id = ?`,
		[]any{messageID}, &conversation, &said, &lead); err != nil {
		return err
	}
	if lead == dialogue.LedByPerson || lead == dialogue.Closed {
		return ErrLead
	}
	state, parts := MessageSent, ""
	if send != nil {
		state = MessageMade
	}
	if words == "" {
		words = said
	}
	distrusted, err := t.judged(messageID, verdict, words, "", person, now)
	if err != nil {
		return err
	}
	n, err := t.exec(`UPDATE message SET state = ?, shown = ?, text = ?, parts = CASE WHEN text = ?3 THEN parts ELSE ?4 END WHERE id = ?5 AND state = 'held'`, state, NewID(), words, parts, messageID)
	if err != nil {
		return err
	}
	if n == 0 {
		return ErrNotHeld
	}
	if send != nil {
		send.ID = messageID
		if err := t.putEffect(*send, now); err != nil {
			return err
		}
	}
	if _, err := t.exec(`UPDATE conversation SET preview = ?1, updated_at = ?2, waiting_since = CASE WHEN reason = ?4 AND NOT EXISTS
			(SELECT 1 FROM message m WHERE m.conversation_id = ?3 AND m.state = 'held') THEN NULL ELSE waiting_since END WHERE id = ?3`,
		preview(words), millis(now), conversation, bot.Held); err != nil {
		return err
	}
	if _, err := t.exec(`UPDATE conversation SET reason = '' WHERE id = ? AND reason = ? AND waiting_since IS NULL`, conversation, bot.Held); err != nil {
		return err
	}
	if err := t.happened(conversation, happened+heldAgain(distrusted), now); err != nil {
		return err
	}
	return t.event("message.approved", conversation, map[string]any{"conversation": conversation, "message": messageID}, now)
}

// heldAgain says that replies of topics are held from now on, if some are named.
func heldAgain(topics []string) string {
	if len(topics) == 0 {
		return ""
	}
	return "; replies about " + strings.Join(topics, " and ") + " are held again"
}

// RejectHeld withdraws a held message, for a reason ("" for none). The customer waits for a
// person from then on.
func (t *Tx) RejectHeld(messageID, why, person, happened string, now time.Time) error {
	var conversation string
	if err := t.row(`SELECT conversation_id FROM message WHERE id = ?`, []any{messageID}, &conversation); err != nil {
		return err
	}
	distrusted, err := t.judged(messageID, Rejected, "", why, person, now)
	if err != nil {
		return err
	}
	n, err := t.exec(`UPDATE message SET state = 'withdrawn' WHERE id = ? AND state = 'held'`, messageID)
	if err != nil {
		return err
	}
	if n == 0 {
		return ErrNotHeld
	}
	if _, err := t.exec(`UPDATE conversation SET lead = CASE lead WHEN 'bot' THEN 'waiting' ELSE lead END, reason = CASE reason WHEN '' THEN ?1 ELSE reason END, waiting_since = coalesce(waiting_since, ?2),
		version = version + 1, updated_at = ?2 WHERE id = ?3 AND lead <> 'closed'`, bot.Held, millis(now), conversation); err != nil {
		return err
	}
	if err := t.happened(conversation, happened+heldAgain(distrusted), now); err != nil {
		return err
	}
	return t.event("message.rejected", conversation, map[string]any{"conversation": conversation, "message": messageID}, now)
}

// preview is the beginning of a text, for lists.
func preview(s string) string { return text.Short(text.Squeeze(s), 139) }

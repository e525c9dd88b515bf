package store

import (
	"context"
	"errors"
	"slices"
	"strings"
	"time"

	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/core/message"
)

// A Thread is what a message of a channel with threads belongs to.
type Thread struct {
	Subject    string
	References []string // ids of earlier messages on the channel, without the mark below; the latest last
}

// ThreadMark parts, in the external ids of channels with threads, the id that others refer to
// from what tells two messages apart that have the same.
const ThreadMark = "#"

// sameMatter is how long a new message with the same subject, by the same sender, belongs to
// a conversation although it does not refer to it.
const sameMatter = 14 * 24 * time.Hour

// threadOf finds the conversation that a message of a channel with threads belongs to, "" if
// it begins one: the one that holds what it refers to, if its sender is among the people
// there; else the latest with its sender and subject.
func (t *Tx) threadOf(in Incoming, now time.Time) (id string, err error) {
	for _, reference := range slices.Backward(in.Thread.References) {
		own, _, _ := strings.Cut(reference, "@") // our own are named by the message's id
		err := t.row(`SELECT c.id FROM message m JOIN conversation c ON c.id = m.conversation_id
			WHERE c.channel = ?1 AND (m.id = ?2 OR m.channel = ?1 AND m.external_id >= ?3 || '#' AND m.external_id < ?3 || '$')
			AND (c.address = ?4 OR EXISTS (SELECT 1 FROM message o WHERE o.conversation_id = c.id AND o.beside <> '' AND
				(instr(lower(json_extract(o.beside, '$.from')), ?4) > 0 OR instr(lower(json_extract(o.beside, '$.to')), ?4) > 0 OR instr(lower(json_extract(o.beside, '$.copy')), ?4) > 0))) LIMIT 1`,
			[]any{in.Channel, own, reference, in.Address}, &id)
		if !errors.Is(err, ErrNotFound) {
			return id, err
		}
	}
	subject := Subject(in.Thread.Subject)
	if subject == "" {
		return "", nil
	}
	var said string
	err = t.row(`SELECT id, subject FROM conversation WHERE channel = ? AND address = ? AND subject <> '' AND updated_at > ? AND lower(subject) = lower(?) ORDER BY updated_at DESC LIMIT 1`,
		[]any{in.Channel, in.Address, millis(now.Add(-sameMatter)), subject}, &id, &said)
	if errors.Is(err, ErrNotFound) {
		return "", nil
	}
	return id, err
}

// reopen opens a closed conversation for a message that belongs to it, with the bot that led
// it.
func (t *Tx) reopen(id string) error {
	_, err := t.exec(`UPDATE conversation SET lead = 'bot', assignee = '', reason = '', outcome = '', version = version + 1 WHERE id = ? AND lead = 'closed'`, id)
	return err
}

// RepliesSince is how many messages of bots went to a handle since a time.
func (s *Store) RepliesSince(ctx context.Context, channel, address string, since time.Time) (n int, err error) {
	err = s.reader.row(ctx, `SELECT count(*) FROM conversation c JOIN message m ON m.conversation_id = c.id
		WHERE c.channel = ? AND c.address = ? AND c.subject <> '' AND c.updated_at > ? AND m.author = 'bot' AND m.state IN ('made', 'sent') AND m.at > ?`,
		[]any{channel, address, millis(since), millis(since)}, &n)
	return n, err
}

// Subject is a subject without the signs of replies and forwards, in many languages.
func Subject(s string) string {
	for {
		before, after, ok := strings.Cut(s, ":")
		if !ok || !slices.Contains(replySigns, strings.ToLower(strings.TrimRight(strings.TrimSpace(before), "[]0123456789() "))) {
			return strings.TrimSpace(s)
		}
		s = after
	}
}

var replySigns = []string{"re", "aw", "wg", "sv", "vs", "fwd", "fw", "antw", "tr", "rv", "rif", "r", "i", "odp", "pd", "vá", "ynt", "res", "enc", "回复", "转发", "返信"}

// AnswerTo is how an answer to a message of a thread is addressed.
type AnswerTo struct {
	Subject    string
	References []string // external ids of the conversation's messages, the latest last
	Address    string   // "": the conversation's
	Beside     message.Beside
	Text       string // of the message that is answered
	At         time.Time
}

// AnswerTo returns how an answer in a conversation of a channel with threads is addressed: to
// the latest of the customer's messages that are answered, of all if none of these is.
func (s *Store) AnswerTo(ctx context.Context, conversationID string, answers []string) (a AnswerTo, err error) {
	c, err := s.Conversation(ctx, conversationID)
	if err != nil {
		return a, err
	}
	a.Subject = c.Subject
	list, err := s.Messages(ctx, conversationID, 0, 60)
	if err != nil {
		return a, err
	}
	var last Message
	for _, m := range list {
		if m.ExternalID == "" {
			continue
		}
		id, _, _ := strings.Cut(m.ExternalID, ThreadMark)
		if id != "" {
			a.References = append(a.References, id)
		}
		if len(answers) == 0 && m.Author == ByCustomer || slices.Contains(answers, m.ExternalID) {
			last = m
		}
	}
	if last.ID != "" {
		a.Address, a.Beside, a.Text, a.At = last.Beside.ReplyTo, last.Beside, last.Text, last.At
		id, _, _ := strings.Cut(last.ExternalID, ThreadMark)
		at := slices.Index(a.References, id)
		a.References = append(slices.Delete(a.References, at, at+1), id) // what is answered stands last
	}
	return a, nil
}

// An Attachment is a file that came with a message.
type Attachment struct {
	Hash   string
	Name   string
	Type   string
	Bytes  int
	Inline bool
}

func (t *Tx) putAttachments(messageID string, files []Attachment) error {
	for i, f := range files {
		if _, err := t.exec(`INSERT INTO attachment (message_id, position, hash, name, type, bytes, inline) VALUES (?, ?, ?, ?, ?, ?, ?)`, messageID, i, f.Hash, f.Name, f.Type, f.Bytes, f.Inline); err != nil {
			return err
		}
	}
	return nil
}

// Attachments returns the files that came with the messages of a conversation, by message.
func (s *Store) Attachments(ctx context.Context, conversationID string) (map[string][]Attachment, error) {
	by := map[string][]Attachment{}
	err := s.reader.rows(ctx, `SELECT a.message_id, a.hash, a.name, a.type, a.bytes, a.inline FROM attachment a JOIN message m ON m.id = a.message_id
		WHERE m.conversation_id = ? ORDER BY a.message_id, a.position`, []any{conversationID}, func(scan func(...any) error) error {
		var id string
		var a Attachment
		err := scan(&id, &a.Hash, &a.Name, &a.Type, &a.Bytes, &a.Inline)
		by[id] = append(by[id], a)
		return err
	})
	return by, err
}

// Attachment returns one file of a message, counted from 0; or ErrNotFound.
func (s *Store) Attachment(ctx context.Context, messageID string, position int) (a Attachment, err error) {
	err = s.reader.row(ctx, `SELECT hash, name, type, bytes, inline FROM attachment WHERE message_id = ? AND position = ?`, []any{messageID, position}, &a.Hash, &a.Name, &a.Type, &a.Bytes, &a.Inline)
	return a, err
}

// AttachedHashes returns the hashes of all files that came with messages.
func (s *Store) AttachedHashes(ctx context.Context) (map[string]bool, error) {
	hashes := map[string]bool{}
	err := s.reader.rows(ctx, `SELECT DISTINCT hash FROM attachment`, nil, func(scan func(...any) error) error {
		var hash string
		err := scan(&hash)
		hashes[hash] = true
		return err
	})
	return hashes, err
}

// ChannelState returns what a channel remembers under a name, "" for nothing.
func (s *Store) ChannelState(ctx context.Context, channel, name string) (value string, err error) {
	err = s.reader.row(ctx, `SELECT value FROM channel_state WHERE channel = ? AND name = ?`, []any{channel, name}, &value)
	if errors.Is(err, ErrNotFound) {
		return "", nil
	}
	return value, err
}

// PutChannelState has a channel remember something.
func (t *Tx) PutChannelState(channel, name, value string) error {
	_, err := t.exec(`INSERT INTO channel_state (channel, name, value) VALUES (?, ?, ?) ON CONFLICT (channel, name) DO UPDATE SET value = excluded.value`, channel, name, value)
	return err
}

// AnswerAfterAll takes a message that nothing was to answer as one of a customer, so that it
// is decided on. One that is none of these is ErrNotFound.
func (t *Tx) AnswerAfterAll(messageID, happened string, now time.Time) (conversation string, err error) {
	var beside message.Beside
	var raw string
	if err := t.row(`SELECT conversation_id, beside FROM message WHERE id = ? AND author = 'automated' AND beside <> ''`, []any{messageID}, &conversation, &raw); err != nil {
		return "", err
	}
	if err := fromJSON(raw, &beside); err != nil {
		return "", err
	}
	if beside.Silent == "" {
		return "", ErrNotFound
	}
	beside.Silent = ""
	if _, err := t.exec(`UPDATE message SET author = 'customer', shown = id, beside = ? WHERE id = ?`, asJSON(beside), messageID); err != nil {
		return "", err
	}
	if err := t.reopen(conversation); err != nil {
		return "", err
	}
	if _, err := t.exec(`UPDATE conversation SET incoming = incoming + 1 WHERE id = ?`, conversation); err != nil {
		return "", err
	}
	return conversation, t.happened(conversation, happened, now)
}

// Undelivered marks a message that was sent as one that did not arrive, and has people look
// after the conversation. One that was not sent is ErrNotFound.
func (t *Tx) Undelivered(channel, messageID, happened, reason string, now time.Time) (conversation string, err error) {
	if err := t.row(`UPDATE message SET state = 'failed' WHERE id = ? AND state = 'sent' AND conversation_id IN (SELECT id FROM conversation WHERE channel = ?) RETURNING conversation_id`, []any{messageID, channel}, &conversation); err != nil {
		return "", err
	}
	if _, err := t.exec(`UPDATE conversation SET lead = CASE lead WHEN 'person' THEN lead ELSE ? END, version = version + 1, waiting_since = coalesce(waiting_since, ?), reason = CASE reason WHEN '' THEN ? ELSE reason END, updated_at = ? WHERE id = ?`,
		dialogue.Waiting, millis(now), reason, millis(now), conversation); err != nil {
		return "", err
	}
	if err := t.happened(conversation, happened, now); err != nil {
		return "", err
	}
	return conversation, t.event("message.undelivered", conversation, map[string]any{"conversation": conversation, "message": messageID}, now)
}

package store

import (
	"cmp"
	"context"
	"database/sql"
	"errors"
	"slices"
	"strings"
	"time"

	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/core/learn"
)

// Verdict is what a person did with a held reply.
type Verdict string

// The verdicts.
const (
	Unchanged Verdict = "unchanged"
	Worded    Verdict = "worded"  // sent in other words that say the same
	Changed   Verdict = "changed" // sent, saying something else
	Rejected  Verdict = "rejected"
)

// A HeldReply is a reply of a bot that waits for a person.
type HeldReply struct {
	Message
	Conversation Conversation
	Topics       []string
	Came         dialogue.Code // what its turn came to
	Confidence   float64       // 0: nothing was answered
	Asked        string        // what the customer said that it answers
}

// Held returns the replies that wait for a person, the oldest first, at most limit.
func (s *Store) Held(ctx context.Context, limit int) (list []HeldReply, err error) {
	err = s.reader.rows(ctx, `SELECT `+messageColumns+`, topic, coalesce(confidence, 0), coalesce((SELECT code FROM turn WHERE id = m.turn_id), ''),
		coalesce((SELECT group_concat(text, char(10)) FROM (SELECT text FROM message a WHERE a.conversation_id = m.conversation_id AND a.turn_id = m.turn_id AND a.author = 'customer' ORDER BY a.position)), '')
		FROM message m WHERE state = 'held' ORDER BY at, id LIMIT ?`, []any{limit}, func(scan func(...any) error) (err error) {
		var h HeldReply
		var topics string
		h.Message, err = scanMessage(func(into ...any) error { return scan(append(into, &topics, &h.Confidence, &h.Came, &h.Asked)...) })
		if topics != "" {
			h.Topics = strings.Split(topics, "\n")
		}
		list = append(list, h)
		return err
	})
	for i := range list {
		if err != nil {
			return list, err
		}
		list[i].Conversation, err = s.Conversation(ctx, list[i].ConversationID)
	}
	return list, err
}

// WantedMark begins the names under which a channel remembers that a held reply was wanted as a
// draft.
const WantedMark = "wanted "

// HeldAsDrafts returns the held replies of a channel that are to lie among the drafts of the
// other side, the oldest first, at most limit: all, or those of some bots and those that
// somebody wanted there.
func (s *Store) HeldAsDrafts(ctx context.Context, channel string, all bool, bots []string, limit int) (list []Message, err error) {
	err = s.reader.rows(ctx, `SELECT `+messageColumns+` FROM message m WHERE state = 'held'
		AND conversation_id IN (SELECT id FROM conversation WHERE channel = ?1 AND (?2 OR bot IN (SELECT value FROM json_each(?3)) OR EXISTS (SELECT 1 FROM channel_state WHERE channel = ?1 AND name = ?4 || m.id)))
		ORDER BY at, id LIMIT ?5`, []any{channel, all, asJSON(append([]string{}, bots...)), WantedMark, limit}, func(scan func(...any) error) error {
		m, err := scanMessage(scan)
		list = append(list, m)
		return err
	})
	return list, err
}

// ContactName is what is known as the name of a contact, "" if nothing is.
func (s *Store) ContactName(ctx context.Context, contact, field string) (name string, err error) {
	err = s.reader.row(ctx, `SELECT value FROM fact WHERE contact_id = ? AND field = ? ORDER BY verified DESC, id DESC LIMIT 1`, []any{contact, field}, &name)
	return name, err
}

// An Approval is what a person did with a held reply.
type Approval struct {
	MessageID, ConversationID string
	Topic                     string  // one or more, a line each
	Confidence                float64 // 0: nothing was answered
	Verdict                   Verdict
	Was, Became               string
	Why                       string
	Person                    string
	At                        time.Time
}

// judged keeps what a person did with a held reply. A topic whose reply was rejected or
// changed is not sent by itself any more; it returns those that were.
func (t *Tx) judged(messageID string, verdict Verdict, became, why, person string, now time.Time) (distrusted []string, err error) {
	var topic, was, conversation string
	var confidence sql.NullFloat64
	if err := t.row(`SELECT conversation_id, text, topic, confidence FROM message WHERE id = ?`, []any{messageID}, &conversation, &was, &topic, &confidence); err != nil {
		return nil, err
	}
	if _, err := t.exec(`INSERT INTO approval (message_id, conversation_id, topic, confidence, verdict, was, became, why, person, at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)
		ON CONFLICT DO NOTHING`, messageID, conversation, topic, confidence, verdict, was, became, why, person, millis(now)); err != nil {
		return nil, err
	}
	if topic == "" || verdict == Unchanged || verdict == Worded {
		return nil, nil
	}
	for one := range strings.SplitSeq(topic, "\n") {
		n, err := t.exec(`DELETE FROM trusted_topic WHERE topic = ?`, one)
		if err != nil {
			return distrusted, err
		}
		if n > 0 {
			distrusted = append(distrusted, one)
		}
	}
	return distrusted, nil
}

// Approvals returns what people did with held replies, the newest first, at most limit.
func (s *Store) Approvals(ctx context.Context, limit int) (list []Approval, err error) {
	err = s.reader.rows(ctx, `SELECT message_id, conversation_id, topic, coalesce(confidence, 0), verdict, was, became, why, person, at FROM approval ORDER BY at DESC LIMIT ?`, []any{limit}, func(scan func(...any) error) error {
		var a Approval
		var at int64
		err := scan(&a.MessageID, &a.ConversationID, &a.Topic, &a.Confidence, &a.Verdict, &a.Was, &a.Became, &a.Why, &a.Person, &at)
		a.At = fromMillis(at)
		list = append(list, a)
		return err
	})
	return list, err
}

// A Topic is what replies stood on, and what people did with those that were held.
type Topic struct {
	learn.Approved
	Topic   string
	Trusted string // who lets its replies go by themselves; "": nobody
}

// Topics returns all topics of which replies were held, or are trusted, the most frequent
// first.
func (s *Store) Topics(ctx context.Context) (list []Topic, err error) {
	by := map[string]*Topic{}
	of := func(topic string) *Topic {
		if by[topic] == nil {
			by[topic] = &Topic{Topic: topic}
		}
		return by[topic]
	}
	if err := s.reader.rows(ctx, `SELECT topic, verdict, count(*) FROM approval WHERE topic <> '' GROUP BY topic, verdict`, nil, func(scan func(...any) error) error {
		var topics string
		var verdict Verdict
		var n int
		if err := scan(&topics, &verdict, &n); err != nil {
			return err
		}
		for topic := range strings.SplitSeq(topics, "\n") {
			t := of(topic)
			t.All += n
			*map[Verdict]*int{Unchanged: &t.Unchanged, Worded: &t.Worded, Changed: &t.Changed, Rejected: &t.Rejected}[verdict] += n
		}
		return nil
	}); err != nil {
		return nil, err
	}
	err = s.reader.rows(ctx, `SELECT topic, person FROM trusted_topic`, nil, func(scan func(...any) error) error {
		var topic, person string
		err := scan(&topic, &person)
		of(topic).Trusted = person
		return err
	})
	for _, t := range by {
		list = append(list, *t)
	}
	slices.SortFunc(list, func(a, b Topic) int { return cmp.Or(b.All-a.All, strings.Compare(a.Topic, b.Topic)) })
	return list, err
}

// TrustedTopics returns the topics whose replies go by themselves.
func (s *Store) TrustedTopics(ctx context.Context) (map[string]bool, error) {
	topics := map[string]bool{}
	err := s.reader.rows(ctx, `SELECT topic FROM trusted_topic`, nil, func(scan func(...any) error) error {
		var topic string
		err := scan(&topic)
		topics[topic] = true
		return err
	})
	return topics, err
}

// TrustTopic lets replies of a topic go by themselves, or has them held again.
func (t *Tx) TrustTopic(topic, person string, trust bool, now time.Time) (err error) {
	if trust {
		_, err = t.exec(`INSERT INTO trusted_topic (topic, person, at) VALUES (?, ?, ?) ON CONFLICT DO NOTHING`, topic, person, millis(now))
	} else {
		_, err = t.exec(`DELETE FROM trusted_topic WHERE topic = ?`, topic)
	}
	if err != nil {
		return err
	}
	return t.event("topic.changed", topic, map[string]any{"topic": topic, "trusted": trust, "by": person}, now)
}

// undoHeld takes back what was held and not judged yet, of turns that did nothing else, as the
// customer has written on: what they answered is decided on anew, together with what came.
func (t *Tx) undoHeld(conversation string, now time.Time) error {
	var turn, before string
	err := t.row(`SELECT t.id, t.before FROM turn t JOIN message m ON m.turn_id = t.id WHERE m.conversation_id = ? AND m.state = 'held' AND t.before <> ''
		AND t.id = (SELECT l.id FROM turn l WHERE l.conversation_id = m.conversation_id ORDER BY l.id DESC LIMIT 1)`, []any{conversation}, &turn, &before)
	if errors.Is(err, ErrNotFound) {
		return nil
	}
	if err != nil {
		return err
	}
	for _, undo := range []struct {
		query string
		args  []any
	}{
		{`UPDATE message SET state = 'withdrawn' WHERE turn_id = ? AND state = 'held'`, []any{turn}},
		{`UPDATE message SET turn_id = NULL WHERE turn_id = ? AND author = 'customer'`, []any{turn}},
		{`UPDATE turn SET before = '' WHERE id = ?`, []any{turn}},
		{`UPDATE conversation SET state = ?, version = version + 1 WHERE id = ?`, []any{before, conversation}},
	} {
		if _, err := t.exec(undo.query, undo.args...); err != nil {
			return err
		}
	}
	return t.happened(conversation, "The customer wrote on: the reply that was held is made anew", now)
}

// HeldTooLong returns a reply that is still held, and its conversation; ErrNotFound if it is
// not held any more.
func (s *Store) HeldTooLong(ctx context.Context, messageID string) (m Message, c Conversation, err error) {
	if m, err = s.Message(ctx, messageID); err != nil {
		return m, c, err
	}
	if m.State != MessageHeld {
		return m, c, ErrNotFound
	}
	c, err = s.Conversation(ctx, m.ConversationID)
	return m, c, err
}

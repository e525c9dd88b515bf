package store

import (
	"context"
	"time"
)

// A Timer is something that is to happen at a time.
type Timer struct {
	ID      string // a timer that is put takes the place of the one with its id
	Kind    string
	Subject string // whom it is for, such as a conversation
	Body    string // JSON, "" for nothing
	DueAt   time.Time
}

// PutTimer sets a timer.
func (t *Tx) PutTimer(timer Timer) error {
	_, err := t.exec(`INSERT INTO timer (id, kind, subject, body, due_at) VALUES (?, ?, ?, ?, ?)
		ON CONFLICT DO UPDATE SET kind = excluded.kind, subject = excluded.subject, body = excluded.body, due_at = excluded.due_at`,
		timer.ID, timer.Kind, timer.Subject, timer.Body, millis(timer.DueAt))
	return err
}

// TakeTimer removes a timer that has come due. It reports false if it is gone, or
// was set to another time meanwhile.
func (t *Tx) TakeTimer(timer Timer) (bool, error) {
	n, err := t.exec(`DELETE FROM timer WHERE id = ? AND due_at = ?`, timer.ID, millis(timer.DueAt))
	return n > 0, err
}

// Timers returns the timers that come due next, at most limit, in order.
func (s *Store) Timers(ctx context.Context, limit int) (list []Timer, err error) {
	err = s.reader.rows(ctx, `SELECT id, kind, subject, body, due_at FROM timer ORDER BY due_at, id LIMIT ?`, []any{limit}, func(scan func(...any) error) error {
		var timer Timer
		var due int64
		err := scan(&timer.ID, &timer.Kind, &timer.Subject, &timer.Body, &due)
		timer.DueAt = fromMillis(due)
		list = append(list, timer)
		return err
	})
	return list, err
}

// TimersOf returns the timers of a kind, by id.
func (s *Store) TimersOf(ctx context.Context, kind string) (list []Timer, err error) {
	err = s.reader.rows(ctx, `SELECT id, kind, subject, body, due_at FROM timer WHERE id >= ?1 || '/' AND id < ?1 || '0' ORDER BY id LIMIT 10000`, []any{kind}, func(scan func(...any) error) error {
		var timer Timer
		var due int64
		err := scan(&timer.ID, &timer.Kind, &timer.Subject, &timer.Body, &due)
		timer.DueAt = fromMillis(due)
		list = append(list, timer)
		return err
	})
	return list, err
}

// RemoveTimer takes a timer back.
func (t *Tx) RemoveTimer(id string) error {
	_, err := t.exec(`DELETE FROM timer WHERE id = ?`, id)
	return err
}

// A Wake is what wakes a turn beside a message.
type Wake struct {
	Kind     string
	Body     string // JSON, "" for nothing
	Position int    // of the last message when it came
}

// Wake notes that a turn is to look at a conversation. A decision that is being
// made is thrown away, and made again with it.
func (t *Tx) Wake(conversationID, kind, body string) error {
	var position int
	if err := t.row(`UPDATE conversation SET incoming = incoming + 1 WHERE id = ? RETURNING messages`, []any{conversationID}, &position); err != nil {
		return err
	}
	_, err := t.exec(`INSERT INTO wake (id, conversation_id, kind, body, position) VALUES (?, ?, ?, ?, ?)`, NewID(), conversationID, kind, body, position)
	return err
}

// Wakes returns what woke a conversation and was not covered by a turn yet.
func (s *Store) Wakes(ctx context.Context, conversationID string) (list []Wake, err error) {
	err = s.reader.rows(ctx, `SELECT kind, body, position FROM wake WHERE conversation_id = ? ORDER BY id`, []any{conversationID}, func(scan func(...any) error) error {
		var w Wake
		err := scan(&w.Kind, &w.Body, &w.Position)
		list = append(list, w)
		return err
	})
	return list, err
}

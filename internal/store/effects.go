package store

import (
	"context"
	"errors"
	"time"
)

// An Effect is something to be done in the outside world until it is confirmed.
// Its id is the idempotency key.
type Effect struct {
	ID             string
	Kind           string
	Lane           string // effects of one lane are carried out in order
	ConversationID string // "" if it belongs to none
	TurnID         string
	OfBot          bool   // it ends when a person comes in
	Body           string // JSON
	State          string // pending, done, failed, cancelled
	Attempts       int
	Error          string
	NextAt         time.Time
	CreatedAt      time.Time
}

// PutEffect keeps an effect that is to be carried out.
func (t *Tx) PutEffect(e Effect, now time.Time) error { return t.putEffect(e, now) }

func (t *Tx) putEffect(e Effect, now time.Time) error {
	_, err := t.exec(`INSERT INTO effect (id, kind, lane, conversation_id, turn_id, of_bot, body, state, next_at, created_at) VALUES (?, ?, ?, ?, ?, ?, ?, 'pending', ?, ?)`,
		e.ID, e.Kind, e.Lane, nullable(e.ConversationID), nullable(e.TurnID), e.OfBot, e.Body, millis(now), millis(now))
	return err
}

const effectColumns = `id, kind, lane, coalesce(conversation_id, ''), coalesce(turn_id, ''), of_bot, body, state, attempts, error, next_at, created_at`

func scanEffect(scan func(...any) error) (e Effect, err error) {
	var next, created int64
	err = scan(&e.ID, &e.Kind, &e.Lane, &e.ConversationID, &e.TurnID, &e.OfBot, &e.Body, &e.State, &e.Attempts, &e.Error, &next, &created)
	e.NextAt, e.CreatedAt = fromMillis(next), fromMillis(created)
	return e, err
}

// Effects returns effects in a state, oldest first, at most limit.
func (s *Store) Effects(ctx context.Context, state string, limit int) (list []Effect, err error) {
	err = s.reader.rows(ctx, `SELECT `+effectColumns+` FROM effect WHERE state = ? ORDER BY id LIMIT ?`, []any{state, limit}, func(scan func(...any) error) error {
		e, err := scanEffect(scan)
		list = append(list, e)
		return err
	})
	return list, err
}

// Troubled returns effects that were given up, or have failed and are tried again, the
// newest first, at most limit.
func (s *Store) Troubled(ctx context.Context, limit int) (list []Effect, err error) {
	err = s.reader.rows(ctx, `SELECT `+effectColumns+` FROM effect WHERE state = 'failed' OR state = 'pending' AND attempts > 0 ORDER BY id DESC LIMIT ?`, []any{limit}, func(scan func(...any) error) error {
		e, err := scanEffect(scan)
		list = append(list, e)
		return err
	})
	return list, err
}

// Effect returns one effect, or ErrNotFound.
func (s *Store) Effect(ctx context.Context, id string) (e Effect, err error) {
	err = ErrNotFound
	failed := s.reader.rows(ctx, `SELECT `+effectColumns+` FROM effect WHERE id = ?`, []any{id}, func(scan func(...any) error) error {
		e, err = scanEffect(scan)
		return err
	})
	return e, errors.Join(failed, err)
}

// FinishEffects marks effects as carried out; the messages that they carried are
// sent.
func (t *Tx) FinishEffects(ids []string) error {
	list := asJSON(ids)
	if _, err := t.exec(`UPDATE effect SET state = 'done', attempts = attempts + 1, error = '' WHERE id IN (SELECT value FROM json_each(?))`, list); err != nil {
		return err
	}
	_, err := t.exec(`UPDATE message SET state = 'sent' WHERE id IN (SELECT value FROM json_each(?)) AND state = 'made'`, list)
	return err
}

// FailEffect gives an effect up. It reports false if it was not pending any more.
func (t *Tx) FailEffect(e Effect, now time.Time) (bool, error) {
	n, err := t.exec(`UPDATE effect SET state = 'failed', attempts = ?, error = ? WHERE id = ? AND state = 'pending'`, e.Attempts, e.Error, e.ID)
	if err != nil || n == 0 {
		return false, err
	}
	if _, err := t.exec(`UPDATE message SET state = 'failed', shown = NULL WHERE id = ? AND state = 'made'`, e.ID); err != nil {
		return false, err
	}
	return true, t.event("effect.failed", e.ConversationID, map[string]any{"effect": e.ID, "kind": e.Kind, "conversation": e.ConversationID, "error": e.Error}, now)
}

// PostponeEffect notes a try that failed and when the next one is due.
func (t *Tx) PostponeEffect(e Effect) error {
	_, err := t.exec(`UPDATE effect SET attempts = ?, error = ?, next_at = ? WHERE id = ? AND state = 'pending'`, e.Attempts, e.Error, millis(e.NextAt), e.ID)
	return err
}

// RetryEffect makes a failed effect due again; from now on it is tried as long as a new
// one. It reports whether it had failed.
func (t *Tx) RetryEffect(id string, now time.Time) (bool, error) {
	n, err := t.exec(`UPDATE effect SET state = 'pending', attempts = 0, next_at = ?, created_at = ? WHERE id = ? AND state = 'failed'`, millis(now), millis(now), id)
	if err != nil || n == 0 {
		return false, err
	}
	_, err = t.exec(`UPDATE message SET state = 'made', shown = id WHERE id = ? AND state = 'failed'`, id)
	return true, err
}

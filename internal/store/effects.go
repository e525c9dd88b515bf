package store

import (
	"context"
	"time"

	"urgentparrot.example/internal/core/dialogue"
)

// EffectKind is what is done in the outside world.
type EffectKind string

// The kinds of effects.
const (
	Send   EffectKind = "send"   // a message on its channel; its id is the message's
	Call   EffectKind = "call"   // a tool
	Sync   EffectKind = "sync"   // a contact to a CRM
	Notify EffectKind = "notify" // people, by mail
)

// An Effect is something to be done in the outside world until it is confirmed.
// Its id is the idempotency key.
type Effect struct {
	ID             string
	Kind           EffectKind
	Lane           string // effects of one lane are carried out in order
	ConversationID string
	TurnID         string
	ByBot          bool
	Body           string // JSON
	State          string // pending, done, failed, cancelled
	Attempts       int
	Error          string
	NextAt         time.Time
	CreatedAt      time.Time
}

func (t *Tx) putEffect(e Effect, now time.Time) error {
	_, err := t.exec(`INSERT INTO effect (id, kind, lane, conversation_id, turn_id, by_bot, body, state, next_at, created_at) VALUES (?, ?, ?, ?, ?, ?, ?, 'pending', ?, ?)`,
		e.ID, e.Kind, e.Lane, e.ConversationID, nullable(e.TurnID), e.ByBot, e.Body, millis(now), millis(now))
	return err
}

// Effects returns effects in a state, oldest first, at most limit.
func (s *Store) Effects(ctx context.Context, state string, limit int) (list []Effect, err error) {
	err = s.reader.rows(ctx, `SELECT id, kind, lane, conversation_id, coalesce(turn_id, ''), by_bot, body, state, attempts, error, next_at, created_at
		FROM effect WHERE state = ? ORDER BY id LIMIT ?`, []any{state, limit}, func(scan func(...any) error) error {
		var e Effect
		var next, created int64
		err := scan(&e.ID, &e.Kind, &e.Lane, &e.ConversationID, &e.TurnID, &e.ByBot, &e.Body, &e.State, &e.Attempts, &e.Error, &next, &created)
		e.NextAt, e.CreatedAt = fromMillis(next), fromMillis(created)
		list = append(list, e)
		return err
	})
	return list, err
}

// FinishEffects marks effects as carried out.
func (t *Tx) FinishEffects(ids []string) error {
	_, err := t.exec(`UPDATE effect SET state = 'done', attempts = attempts + 1, error = '' WHERE id IN (SELECT value FROM json_each(?))`, asJSON(ids))
	return err
}

// FinishCall marks a tool's call as carried out, and keeps its result.
func (t *Tx) FinishCall(e Effect, result dialogue.Result) error {
	if err := t.FinishEffects([]string{e.ID}); err != nil {
		return err
	}
	return t.finishCall(e.TurnID, result)
}

// FailEffect gives an effect up.
func (t *Tx) FailEffect(e Effect, result *dialogue.Result, now time.Time) error {
	n, err := t.exec(`UPDATE effect SET state = 'failed', attempts = ?, error = ? WHERE id = ? AND state = 'pending'`, e.Attempts, e.Error, e.ID)
	if err != nil || n == 0 {
		return err
	}
	if result != nil {
		if err := t.finishCall(e.TurnID, *result); err != nil {
			return err
		}
	}
	return t.event("effect.failed", e.ConversationID, map[string]any{"effect": e.ID, "kind": e.Kind, "conversation": e.ConversationID, "error": e.Error}, now)
}

// PostponeEffect notes a try that failed and when the next one is due.
func (t *Tx) PostponeEffect(e Effect) error {
	_, err := t.exec(`UPDATE effect SET attempts = ?, error = ?, next_at = ? WHERE id = ? AND state = 'pending'`, e.Attempts, e.Error, millis(e.NextAt), e.ID)
	return err
}

// RetryEffect makes a failed effect due again. It reports whether it had failed.
func (t *Tx) RetryEffect(id string, now time.Time) (bool, error) {
	n, err := t.exec(`UPDATE effect SET state = 'pending', attempts = 0, next_at = ? WHERE id = ? AND state = 'failed'`, millis(now), id)
	return n > 0, err
}

package store

import (
	"context"
	"time"

	"urgentparrot.example/internal/core/dialogue"
)

// A KeptExample is what a customer said to something that was offered for a question.
type KeptExample struct {
	ID, ConversationID string
	dialogue.Example
	At time.Time
}

// Examples returns what customers said to offers, the newest first, at most limit.
func (s *Store) Examples(ctx context.Context, limit int) (list []KeptExample, err error) {
	err = s.reader.rows(ctx, `SELECT id, conversation_id, question, passage_id, source, label, words, answers, how, at FROM example ORDER BY at DESC, id LIMIT ?`, []any{limit}, func(scan func(...any) error) error {
		var e KeptExample
		var at int64
		err := scan(&e.ID, &e.ConversationID, &e.Question, &e.PassageID, &e.Source, &e.Label, &e.Words, &e.Right, &e.How, &at)
		e.At = fromMillis(at)
		list = append(list, e)
		return err
	})
	return list, err
}

// DropExample removes an example, as one that was said by mistake, or returns ErrNotFound.
func (t *Tx) DropExample(id string, now time.Time) error {
	n, err := t.exec(`DELETE FROM example WHERE id = ?`, id)
	if err == nil && n == 0 {
		err = ErrNotFound
	}
	if err != nil {
		return err
	}
	return t.event("example.dropped", id, map[string]any{"example": id}, now)
}

// noteExample keeps an example. A question that was answered with that is no gap any more:
// it is not waited for, and does not count.
func (t *Tx) noteExample(e dialogue.Example, conversationID, turnID string, now time.Time) error {
	if _, err := t.exec(`INSERT INTO example (id, conversation_id, turn_id, question, passage_id, source, label, words, answers, how, at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
		NewID(), conversationID, turnID, e.Question, e.PassageID, e.Source, e.Label, e.Words, e.Right, e.How, millis(now)); err != nil || !e.Right {
		return err
	}
	gaps := `SELECT gap_id FROM gap_question WHERE conversation_id = ? AND wording = ? AND waits = 1`
	if _, err := t.exec(`UPDATE gap SET times = max(times - 1, 0), state = CASE WHEN times <= 1 THEN 'closed' ELSE state END, closed_by = CASE WHEN times <= 1 THEN 'the customer' ELSE closed_by END
		WHERE id IN (`+gaps+`)`, conversationID, e.Question); err != nil {
		return err
	}
	_, err := t.exec(`UPDATE gap_question SET waits = 0 WHERE conversation_id = ? AND wording = ? AND waits = 1`, conversationID, e.Question)
	return err
}

package store

import (
	"context"
	"time"

	"urgentparrot.example/internal/core/answer"
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

// A KeptCalibration is what customers taught of confidence, in use.
type KeptCalibration struct {
	answer.Calibration
	Questions int    // that it was fitted on
	Person    string // who took it into use
	At        time.Time
}

// Calibration returns the calibration in use, or ErrNotFound.
func (s *Store) Calibration(ctx context.Context) (k KeptCalibration, err error) {
	var at int64
	err = s.reader.row(ctx, `SELECT slope, shift, questions, person, at FROM calibration`, nil, &k.Slope, &k.Shift, &k.Questions, &k.Person, &at)
	k.At = fromMillis(at)
	return k, err
}

// PutCalibration takes a calibration into use.
func (t *Tx) PutCalibration(k KeptCalibration) error {
	if _, err := t.exec(`INSERT INTO calibration (id, slope, shift, questions, person, at) VALUES (1, ?, ?, ?, ?, ?)
		ON CONFLICT (id) DO UPDATE SET slope = excluded.slope, shift = excluded.shift, questions = excluded.questions, person = excluded.person, at = excluded.at`,
		k.Slope, k.Shift, k.Questions, k.Person, millis(k.At)); err != nil {
		return err
	}
	return t.event("confidence.fitted", "confidence", map[string]any{"questions": k.Questions, "by": k.Person}, k.At)
}

// DropCalibration goes back to confidence as it was delivered, or returns ErrNotFound.
func (t *Tx) DropCalibration(person string, now time.Time) error {
	n, err := t.exec(`DELETE FROM calibration`)
	if err == nil && n == 0 {
		err = ErrNotFound
	}
	if err != nil {
		return err
	}
	return t.event("confidence.put_back", "confidence", map[string]any{"by": person}, now)
}

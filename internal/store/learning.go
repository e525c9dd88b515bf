package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"time"
)

// A Gap is a question that nobody's knowledge answered, with the others like it.
type Gap struct {
	ID, Question    string
	Times           int
	Wordings        []string // the latest, at most ten
	Waiting         []string // conversations that still wait for the answer
	FirstAt, LastAt time.Time
}

// Gaps returns the open gaps, the most frequent first, at most limit.
func (s *Store) Gaps(ctx context.Context, limit int) (list []Gap, err error) {
	return s.gaps(ctx, `WHERE g.state = 'open' ORDER BY g.times DESC, g.last_at DESC LIMIT ?`, limit)
}

// Gap returns one gap, or ErrNotFound.
func (s *Store) Gap(ctx context.Context, id string) (Gap, error) {
	list, err := s.gaps(ctx, `WHERE g.id = ?`, id)
	if err == nil && len(list) == 0 {
		return Gap{}, ErrNotFound
	}
	if err != nil {
		return Gap{}, err
	}
	return list[0], nil
}

func (s *Store) gaps(ctx context.Context, rest string, args ...any) (list []Gap, err error) {
	err = s.reader.rows(ctx, `SELECT g.id, g.question, g.times, g.first_at, g.last_at,
		(SELECT json_group_array(DISTINCT wording) FROM (SELECT wording FROM gap_question q WHERE q.gap_id = g.id ORDER BY q.id DESC LIMIT 10)),
		(SELECT json_group_array(DISTINCT conversation_id) FROM gap_question q WHERE q.gap_id = g.id AND q.waits = 1)
		FROM gap g `+rest, args, func(scan func(...any) error) error {
		var g Gap
		var first, last int64
		var wordings, waiting []byte
		if err := scan(&g.ID, &g.Question, &g.Times, &first, &last, &wordings, &waiting); err != nil {
			return err
		}
		g.FirstAt, g.LastAt = fromMillis(first), fromMillis(last)
		err := errors.Join(json.Unmarshal(wordings, &g.Wordings), json.Unmarshal(waiting, &g.Waiting))
		list = append(list, g)
		return err
	})
	return list, err
}

// GapOf returns the open gap that a conversation waits on, or ErrNotFound.
func (s *Store) GapOf(ctx context.Context, conversationID string) (Gap, error) {
	var id string
	if err := s.reader.row(ctx, `SELECT q.gap_id FROM gap_question q JOIN gap g ON g.id = q.gap_id WHERE q.conversation_id = ? AND q.waits = 1 AND g.state = 'open' ORDER BY q.id DESC LIMIT 1`,
		[]any{conversationID}, &id); err != nil {
		return Gap{}, err
	}
	return s.Gap(ctx, id)
}

// A GapQuestion is a question without an answer, for the gap that it belongs to.
type GapQuestion struct {
	GapID    string
	Question string // in general words: the gap's, if it is new
	Wording  string // the customer's
}

// noteGap adds a question to its gap, making it if it is new. A question that was
// noted before, of the same turn, changes nothing.
func (t *Tx) noteGap(q GapQuestion, conversationID, turnID string, now time.Time) error {
	// A gap that was closed meanwhile opens again: its answer was not found.
	if _, err := t.exec(`INSERT INTO gap (id, question, first_at, last_at) VALUES (?, ?, ?, ?) ON CONFLICT (id) DO UPDATE SET state = 'open'`,
		q.GapID, q.Question, millis(now), millis(now)); err != nil {
		return err
	}
	n, err := t.exec(`INSERT INTO gap_question (gap_id, conversation_id, turn_id, wording, at) VALUES (?, ?, ?, ?, ?) ON CONFLICT DO NOTHING`,
		q.GapID, conversationID, turnID, q.Wording, millis(now))
	if err != nil || n == 0 {
		return err
	}
	_, err = t.exec(`UPDATE gap SET times = times + 1, last_at = ? WHERE id = ?`, millis(now), q.GapID)
	return err
}

// CloseGap closes a gap: filled by a house answer, or set aside by a person.
func (t *Tx) CloseGap(id, by string, now time.Time) error {
	n, err := t.exec(`UPDATE gap SET state = 'closed', closed_by = ? WHERE id = ?`, by, id)
	if err == nil && n == 0 {
		err = ErrNotFound
	}
	if err != nil {
		return err
	}
	if _, err := t.exec(`UPDATE gap_question SET waits = 0 WHERE gap_id = ?`, id); err != nil {
		return err
	}
	return t.event("gap.closed", id, map[string]any{"gap": id}, now)
}

// answeredGaps notes that nobody in a conversation waits for an answer any more.
func (t *Tx) answeredGaps(conversationID string) error {
	_, err := t.exec(`UPDATE gap_question SET waits = 0 WHERE conversation_id = ? AND waits = 1`, conversationID)
	return err
}

// A Lesson is a house answer proposed from what a person replied.
type Lesson struct {
	ID, ConversationID, MessageID, GapID string
	Question, Answer, Author             string
	State                                string // proposed, approved, rejected
	HouseID                              string // the house answer that it became, or is to be joined with
	Beside                               Beside
	CreatedAt                            time.Time
	DecidedBy                            string
	Bot                                  string // whose alone the answer would be; "": all bots'
}

// Beside is what the knowledge says already to a lesson's question.
type Beside struct {
	Relation string `json:"relation,omitempty"` // "completes": one can be joined with the other; "differs": a person must say which holds; "" nothing alike
	HouseID  string `json:"house_id,omitempty"` // the house answer that is alike
	Source   string `json:"source,omitempty"`
	Text     string `json:"text,omitempty"`
}

// Lessons returns the lessons in a state, newest first, at most limit.
func (s *Store) Lessons(ctx context.Context, state string, limit int) ([]Lesson, error) {
	return s.lessons(ctx, `WHERE state = ? ORDER BY created_at DESC, id DESC LIMIT ?`, state, limit)
}

// Lesson returns one lesson, or ErrNotFound.
func (s *Store) Lesson(ctx context.Context, id string) (Lesson, error) {
	list, err := s.lessons(ctx, `WHERE id = ?`, id)
	if err == nil && len(list) == 0 {
		return Lesson{}, ErrNotFound
	}
	if err != nil {
		return Lesson{}, err
	}
	return list[0], nil
}

func (s *Store) lessons(ctx context.Context, rest string, args ...any) (list []Lesson, err error) {
	err = s.reader.rows(ctx, `SELECT id, conversation_id, message_id, gap_id, question, answer, author, state, house_id, beside, created_at, decided_by, bot FROM lesson `+rest,
		args, func(scan func(...any) error) error {
			var l Lesson
			var conversation, message, gap, house sql.NullString
			var beside string
			var at int64
			if err := scan(&l.ID, &conversation, &message, &gap, &l.Question, &l.Answer, &l.Author, &l.State, &house, &beside, &at, &l.DecidedBy, &l.Bot); err != nil {
				return err
			}
			l.ConversationID, l.MessageID, l.GapID, l.HouseID, l.CreatedAt = conversation.String, message.String, gap.String, house.String, fromMillis(at)
			list = append(list, l)
			if beside == "" {
				return nil
			}
			return json.Unmarshal([]byte(beside), &list[len(list)-1].Beside)
		})
	return list, err
}

// AddLesson keeps a proposed lesson. It reports false if the message has taught
// it before.
func (t *Tx) AddLesson(l Lesson, now time.Time) (bool, error) {
	n, err := t.exec(`INSERT INTO lesson (id, conversation_id, message_id, gap_id, question, answer, author, beside, created_at, bot) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)
		ON CONFLICT DO NOTHING`,
		l.ID, nullable(l.ConversationID), nullable(l.MessageID), nullable(l.GapID), l.Question, l.Answer, l.Author, asJSON(l.Beside), millis(now), l.Bot)
	if err != nil || n == 0 {
		return false, err
	}
	return true, t.event("lesson.proposed", l.ID, map[string]any{"lesson": l.ID, "question": l.Question}, now)
}

// DecideLesson approves or rejects a lesson that is proposed; ErrConflict if it
// was decided before.
func (t *Tx) DecideLesson(id, state, person, houseID string, now time.Time) error {
	n, err := t.exec(`UPDATE lesson SET state = ?, decided_by = ?, house_id = ?, decided_at = ? WHERE id = ? AND state = 'proposed'`,
		state, person, nullable(houseID), millis(now), id)
	if err == nil && n == 0 {
		err = ErrConflict
	}
	if err != nil {
		return err
	}
	return t.event("lesson."+state, id, map[string]any{"lesson": id}, now)
}

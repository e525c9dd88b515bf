package store

import (
	"context"
	"database/sql"
	"time"

	"urgentparrot.example/internal/core/knowledge"
)

// HouseSource is the source of house answers, among passages.
const HouseSource = "house"

// HouseTitle is how citations call it.
const HouseTitle = "House answers"

// A HouseAnswer is a question with the answer that a person wrote or approved.
type HouseAnswer struct {
	ID, Question, Answer, Author string
	Version                      int
	CreatedAt, UpdatedAt         time.Time
	ReviewAt                     time.Time // when it is to be looked at again; zero: never
	From, Until                  time.Time // holds within; zero: no bound
	Bot                          string    // whose alone it is; "": all bots'
}

const houseColumns = `id, question, answer, author, version, created_at, updated_at, review_at, valid_from, valid_until, bot`

// HouseAnswers returns all house answers, by question.
func (s *Store) HouseAnswers(ctx context.Context) ([]HouseAnswer, error) {
	return s.houseAnswers(ctx, `ORDER BY question, id`)
}

// HouseAnswer returns one house answer, or ErrNotFound.
func (s *Store) HouseAnswer(ctx context.Context, id string) (HouseAnswer, error) {
	list, err := s.houseAnswers(ctx, `WHERE id = ?`, id)
	if err == nil && len(list) == 0 {
		return HouseAnswer{}, ErrNotFound
	}
	if err != nil {
		return HouseAnswer{}, err
	}
	return list[0], nil
}

func (s *Store) houseAnswers(ctx context.Context, rest string, args ...any) (list []HouseAnswer, err error) {
	err = s.reader.rows(ctx, `SELECT `+houseColumns+` FROM house_answer `+rest, args, func(scan func(...any) error) error {
		var h HouseAnswer
		var created, updated int64
		var review, from, until sql.NullInt64
		err := scan(&h.ID, &h.Question, &h.Answer, &h.Author, &h.Version, &created, &updated, &review, &from, &until, &h.Bot)
		h.CreatedAt, h.UpdatedAt = fromMillis(created), fromMillis(updated)
		h.ReviewAt, h.From, h.Until = optional(review), optional(from), optional(until)
		list = append(list, h)
		return err
	})
	return list, err
}

// HousePassages returns the house answers as passages.
func (s *Store) HousePassages(ctx context.Context, model string) (list []knowledge.Passage, err error) {
	return s.housePassages(ctx, model, `ORDER BY created_at, id`)
}

// HousePassagesWithout returns house answers whose vectors a model has not made
// yet, at most limit.
func (s *Store) HousePassagesWithout(ctx context.Context, model string, limit int) ([]knowledge.Passage, error) {
	return s.housePassages(ctx, model, `WHERE model <> ? LIMIT ?`, model, limit)
}

func (s *Store) housePassages(ctx context.Context, model, rest string, args ...any) (list []knowledge.Passage, err error) {
	err = s.reader.rows(ctx, `SELECT id, question, answer, updated_at, valid_from, valid_until, bot, model, views FROM house_answer `+rest, args, func(scan func(...any) error) error {
		p := knowledge.Passage{SourceID: HouseSource, Source: HouseTitle}
		var made string
		var views []byte
		var at int64
		var from, until sql.NullInt64
		if err := scan(&p.ID, &p.Question, &p.Text, &at, &from, &until, &p.Only, &made, &views); err != nil {
			return err
		}
		p.ReadAt, p.From, p.Until = fromMillis(at), optional(from), optional(until)
		if made == model {
			p.Views = knowledge.Codes(views)
		}
		list = append(list, p)
		return nil
	})
	return list, err
}

// PutHouseAnswer keeps a house answer. With ifVersion above 0 the kept version
// must be that one, else ErrConflict. The vectors are made anew.
func (t *Tx) PutHouseAnswer(h HouseAnswer, ifVersion int, now time.Time) (version int, err error) {
	if ifVersion > 0 {
		if err := t.row(`SELECT version FROM house_answer WHERE id = ?`, []any{h.ID}, &version); err != nil {
			return 0, err
		}
		if version != ifVersion {
			return version, ErrConflict
		}
	}
	err = t.row(`INSERT INTO house_answer (id, question, answer, author, version, created_at, updated_at, review_at, valid_from, valid_until, bot) VALUES (?, ?, ?, ?, 1, ?, ?, ?, ?, ?, ?)
		ON CONFLICT (id) DO UPDATE SET question = excluded.question, answer = excluded.answer, author = excluded.author, version = version + 1,
		updated_at = excluded.updated_at, review_at = excluded.review_at, valid_from = excluded.valid_from, valid_until = excluded.valid_until, bot = CASE excluded.bot WHEN '' THEN bot ELSE excluded.bot END, model = '', views = NULL, tokens = NULL
		RETURNING version`,
		[]any{h.ID, h.Question, h.Answer, h.Author, millis(now), millis(now), orNull(h.ReviewAt), orNull(h.From), orNull(h.Until), h.Bot}, &version)
	if err != nil {
		return 0, err
	}
	return version, t.event("house.changed", h.ID, map[string]any{"house": h.ID, "question": h.Question}, now)
}

// RemoveHouseAnswer removes a house answer, or returns ErrNotFound.
func (t *Tx) RemoveHouseAnswer(id string, now time.Time) error {
	n, err := t.exec(`DELETE FROM house_answer WHERE id = ?`, id)
	if err == nil && n == 0 {
		err = ErrNotFound
	}
	if err != nil {
		return err
	}
	return t.event("house.removed", id, map[string]any{"house": id}, now)
}

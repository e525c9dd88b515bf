package store

import (
	"cmp"
	"context"
	"encoding/json"
	"time"

	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/core/knowledge"
)

// A Thought is something that a turn puts to a model, or what came of it.
type Thought struct {
	dialogue.Thought
	Done bool `json:"done"`
}

// FinishThought keeps what came of the last thought of a turn, so that it is decided again;
// a turn that was dropped, as a person has taken the conversation, stays as it is.
func (t *Tx) FinishThought(turnID string, thought dialogue.Thought) error {
	_, err := t.exec(`UPDATE turn SET thoughts = json_set(thoughts, '$[#-1].reply', json(?), '$[#-1].error', ?, '$[#-1].done', json('true'))
		WHERE id = ? AND state = 'calling' AND json_extract(thoughts, '$[#-1].done') = 0`, asJSON(thought.Reply), thought.Error, turnID)
	return err
}

// A ModelUse is one exchange with a language model.
type ModelUse struct {
	Bot            string // "" for the reading of sources
	Connection     string
	Kind           string
	ConversationID string
	TurnID         string
	Read, Written  int   // tokens
	Cost           int64 // millionths of the currency
	Took           time.Duration
	Error          string
	At             time.Time
}

// NoteModelUse keeps that a model was used.
func (t *Tx) NoteModelUse(u ModelUse) error {
	_, err := t.exec(`INSERT INTO model_use (id, bot, connection, kind, conversation_id, turn_id, tokens_read, tokens_written, cost, took, error, at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
		NewID(), u.Bot, u.Connection, u.Kind, nullable(u.ConversationID), nullable(u.TurnID), u.Read, u.Written, u.Cost, u.Took.Milliseconds(), u.Error, millis(u.At))
	return err
}

// Spent returns what a bot has used of models since a time.
func (s *Store) Spent(ctx context.Context, bot string, since time.Time) (spent dialogue.Spent, err error) {
	err = s.reader.row(ctx, `SELECT coalesce(sum(tokens_read + tokens_written), 0), coalesce(sum(cost), 0) FROM model_use WHERE bot = ? AND at >= ?`, []any{bot, millis(since)}, &spent.Tokens, &spent.Cost)
	return spent, err
}

// ModelTotals is what was used of a model by one bot.
type ModelTotals struct {
	Bot, Connection string
	Requests        int
	Failed          int
	Read, Written   int
	Cost            int64
	Took            time.Duration // in all
}

// ModelTotals returns what was used of models since a time, by bot and connection.
func (s *Store) ModelTotals(ctx context.Context, since time.Time) (list []ModelTotals, err error) {
	err = s.reader.rows(ctx, `SELECT bot, connection, count(*), sum(error <> ''), sum(tokens_read), sum(tokens_written), sum(cost), sum(took) FROM model_use WHERE at >= ? GROUP BY bot, connection ORDER BY sum(cost) DESC, bot, connection`,
		[]any{millis(since)}, func(scan func(...any) error) error {
			var m ModelTotals
			var took int64
			err := scan(&m.Bot, &m.Connection, &m.Requests, &m.Failed, &m.Read, &m.Written, &m.Cost, &took)
			m.Took = time.Duration(took) * time.Millisecond
			list = append(list, m)
			return err
		})
	return list, err
}

// keptUse is how long it is kept what models were used for.
const keptUse = 400 * 24 * time.Hour

// SweepModelUse forgets what is older than it is kept.
func (t *Tx) SweepModelUse(now time.Time) error {
	_, err := t.exec(`DELETE FROM model_use WHERE at < ?`, millis(now.Add(-keptUse)))
	return err
}

// What passages say they answer, by their texts: a page that is read again keeps it.
type askedOf struct{ Text, List, By string }

func (t *Tx) askedOf(pageID string) (map[string]askedOf, error) {
	var raw string
	if err := t.row(`SELECT json_group_array(json_object('Text', text, 'List', asked, 'By', asked_by)) FROM passage WHERE page_id = ? AND asked_by <> ''`, []any{pageID}, &raw); err != nil {
		return nil, err
	}
	var list []askedOf
	if err := json.Unmarshal([]byte(raw), &list); err != nil {
		return nil, err
	}
	kept := map[string]askedOf{}
	for _, a := range list {
		kept[a.Text] = a
	}
	return kept, nil
}

// Unasked returns passages of sources for which nobody has written the questions that they
// answer, at most limit.
func (s *Store) Unasked(ctx context.Context, limit int) ([]knowledge.Passage, error) {
	return s.passages(ctx, "", ` WHERE p.asked_by = '' LIMIT ?`, []any{limit}, ` WHERE g.id IN (SELECT page_id FROM passage WHERE asked_by = '' LIMIT ?)`, limit)
}

// PutAsked keeps the questions that a passage answers, by a person or a model; its vectors
// are to be made anew. A passage that is gone is ErrNotFound.
func (t *Tx) PutAsked(id string, questions []string, by string) error {
	if questions == nil {
		questions = []string{}
	}
	n, err := t.exec(`UPDATE passage SET model = CASE asked WHEN ?1 THEN model ELSE '' END, asked = ?1, asked_by = ?2 WHERE id = ?3`, asJSON(questions), by, id)
	if err == nil && n == 0 {
		err = ErrNotFound
	}
	return err
}

// OnePassage returns a passage by its id, or ErrNotFound.
func (s *Store) OnePassage(ctx context.Context, id string) (p knowledge.Passage, err error) {
	list, err := s.passages(ctx, "", ` WHERE p.id = ?`, []any{id}, ` WHERE g.id IN (SELECT page_id FROM passage WHERE id = ?)`, id)
	if err != nil || len(list) == 0 {
		return p, cmp.Or(err, ErrNotFound)
	}
	return list[0], nil
}

// PutGist adds what a model says a conversation came to, to the summary for whoever takes
// it.
func (t *Tx) PutGist(conversationID, words string) error {
	_, err := t.exec(`UPDATE conversation SET summary = json_set(summary, '$.gist', ?) WHERE id = ? AND summary <> ''`, words, conversationID)
	return err
}

package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"time"

	"urgentparrot.example/internal/core/flow"
)

const runColumns = `r.id, r.flow, r.version, coalesce(r.contact_id, ''), coalesce(r.conversation_id, ''), r.status, r.talks, r.state, r.place, r.waits_for, r.until, r.started_by, r.depth, r.why, r.revision, r.started_at, r.updated_at`

func scanRun(scan func(...any) error) (r Run, err error) {
	var until sql.NullInt64
	var started, updated int64
	err = scan(&r.ID, &r.Flow, &r.Version, &r.ContactID, &r.ConversationID, &r.Status, &r.Talks, &r.State, &r.Place, &r.WaitsFor, &until, &r.StartedBy, &r.Depth, &r.Why, &r.Revision, &started, &updated)
	if until.Valid {
		r.Until = fromMillis(until.Int64)
	}
	r.StartedAt, r.UpdatedAt = fromMillis(started), fromMillis(updated)
	return r, err
}

// A RunFilter chooses runs; what is "" does not count.
type RunFilter struct {
	Flow, Contact, Conversation string
	Open                        bool // those that have not ended
	Failed                      bool
	Ends                        string // how the id ends
	Before                      string // an id
	Limit                       int
}

// Runs returns runs, the latest first.
func (s *Store) Runs(ctx context.Context, f RunFilter) (list []Run, err error) {
	err = s.reader.rows(ctx, `SELECT `+runColumns+` FROM run r WHERE (?1 = '' OR flow = ?1) AND (?2 = '' OR contact_id = ?2) AND (?3 = '' OR conversation_id = ?3)
		AND (NOT ?4 OR status IN ('going', 'waiting')) AND (NOT ?5 OR status = 'failed') AND (?6 = '' OR id < ?6) AND (?8 = '' OR substr(id, -length(?8)) = ?8) ORDER BY id DESC LIMIT ?7`,
		[]any{f.Flow, f.Contact, f.Conversation, f.Open, f.Failed, f.Before, f.Limit, f.Ends}, func(scan func(...any) error) error {
			r, err := scanRun(scan)
			list = append(list, r)
			return err
		})
	return list, err
}

// RunsIn returns the runs in a conversation that have not ended, or have failed and are
// meant by one of the ids, oldest first.
func (s *Store) RunsIn(ctx context.Context, conversation string, failed []string) (list []Run, err error) {
	err = s.reader.rows(ctx, `SELECT `+runColumns+` FROM run r WHERE conversation_id = ?1 AND (status IN ('going', 'waiting') OR id IN (SELECT value FROM json_each(?2))) ORDER BY id`,
		[]any{conversation, asJSON(failed)}, func(scan func(...any) error) error {
			r, err := scanRun(scan)
			list = append(list, r)
			return err
		})
	return list, err
}

// RunSteps returns what a run did, in order.
func (s *Store) RunSteps(ctx context.Context, id string) (list []flow.Passed, err error) {
	err = s.reader.rows(ctx, `SELECT path, number, line, words, at FROM run_step WHERE run_id = ? ORDER BY seq`, []any{id}, func(scan func(...any) error) error {
		var p flow.Passed
		var at int64
		err := scan(&p.Path, &p.Number, &p.Line, &p.Words, &at)
		p.At = fromMillis(at)
		list = append(list, p)
		return err
	})
	return list, err
}

// A RunEvent is something that happened to a run without a conversation.
type RunEvent struct {
	ID, RunID string
	Event     flow.Event
}

// RunEvents returns what happened to a run, oldest first; with "" the ids of all runs to
// which something happened.
func (s *Store) RunEvents(ctx context.Context, runID string) (list []RunEvent, err error) {
	query := `SELECT id, run_id, event FROM run_event WHERE run_id = ? ORDER BY id LIMIT 100`
	args := []any{runID}
	if runID == "" {
		query, args = `SELECT min(id), run_id, '{}' FROM run_event GROUP BY run_id`, nil
	}
	err = s.reader.rows(ctx, query, args, func(scan func(...any) error) error {
		var e RunEvent
		var raw string
		if err := scan(&e.ID, &e.RunID, &raw); err != nil {
			return err
		}
		list = append(list, e)
		return json.Unmarshal([]byte(raw), &list[len(list)-1].Event)
	})
	return list, err
}

// Fired says when a flow last started, and why it did not when it did not.
type Fired struct {
	Flow              string
	FiredAt, MissedAt time.Time
	Missed            string
	Open, Failed      int
}

// Fired returns what is known of the starts of flows, by name.
func (s *Store) Fired(ctx context.Context) (map[string]Fired, error) {
	all := map[string]Fired{}
	err := s.reader.rows(ctx, `SELECT flow, fired_at, missed_at, missed FROM flow_fired`, nil, func(scan func(...any) error) error {
		var f Fired
		var fired, missed sql.NullInt64
		err := scan(&f.Flow, &fired, &missed, &f.Missed)
		if fired.Valid {
			f.FiredAt = fromMillis(fired.Int64)
		}
		if missed.Valid {
			f.MissedAt = fromMillis(missed.Int64)
		}
		all[f.Flow] = f
		return err
	})
	if err != nil {
		return nil, err
	}
	err = s.reader.rows(ctx, `SELECT flow, sum(status IN ('going', 'waiting')), sum(status = 'failed') FROM run WHERE status IN ('going', 'waiting', 'failed') GROUP BY flow`, nil, func(scan func(...any) error) error {
		var name string
		var open, failed int
		err := scan(&name, &open, &failed)
		f := all[name]
		f.Flow, f.Open, f.Failed = name, open, failed
		all[name] = f
		return err
	})
	return all, err
}

// Counted says how often a milestone was counted for a contact since a time.
func (s *Store) Counted(ctx context.Context, contact, name string, since time.Time) (n int, err error) {
	err = s.reader.row(ctx, `SELECT count(*) FROM milestone WHERE contact_id = ? AND name = ? AND at >= ?`, []any{contact, name, millis(since)}, &n)
	return n, err
}

// FailedRuns returns the runs that failed and of which nobody was told, oldest first.
func (s *Store) FailedRuns(ctx context.Context) (list []Run, err error) {
	err = s.reader.rows(ctx, `SELECT `+runColumns+` FROM run r WHERE status = 'failed' AND told = 0 ORDER BY id LIMIT 100`, nil, func(scan func(...any) error) error {
		r, err := scanRun(scan)
		list = append(list, r)
		return err
	})
	return list, err
}

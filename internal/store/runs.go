package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"time"

	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/core/flow"
)

// A Run is a run of a flow.
type Run struct {
	ID, Flow       string
	Version        int // of the flow that it runs on
	ContactID      string
	ConversationID string
	Status         string // going, waiting, done, stopped, failed
	Talks          bool
	State          string // JSON of flow.State
	Place          string
	WaitsFor       flow.WaitFor
	WaitID         int
	Until          time.Time
	StartedBy      string
	Depth          int
	Why            string
	Revision       int
	StartedAt      time.Time
	UpdatedAt      time.Time

	New         bool          // it is to be made
	Passed      []flow.Passed // since it was kept last
	Limits      Limits        // of a new one
	ContactName string
}

// Limits are how often a flow may start; zero: as often as it may.
type Limits struct {
	PerContact int
	Within     time.Duration
	PerHour    int
	One        bool // for a contact, only one at a time
}

// A Missed start is one that did not come about, and why.
type Missed struct{ Flow, Why string }

// A Milestone is something that is counted.
type Milestone struct{ Name, Flow, Contact, Conversation string }

// Complaint is the milestone of an angry customer.
const Complaint = "complaint"

// ErrLimit is returned for a start that the flow's limits do not allow any more.
var ErrLimit = errors.New("the flow may not start again yet")

// statusOf is the status of a run by where it stands.
func statusOf(s flow.State) string {
	switch {
	case s.End != nil:
		return s.End.How
	case s.Wait != nil:
		return "waiting"
	}
	return "going"
}

// Stand takes from a run's state what is kept beside it.
func (r *Run) Stand(s flow.State) {
	r.State, r.Status, r.Place = asJSON(s), statusOf(s), s.Path()
	r.WaitsFor, r.WaitID, r.Until, r.Why = "", 0, time.Time{}, ""
	if s.Wait != nil {
		r.WaitsFor, r.WaitID, r.Until = s.Wait.For, s.Wait.ID, s.Wait.Until
	}
	if s.End != nil {
		r.Why = s.End.Why
	}
}

const keptSteps = 400

// change keeps what goes beside a conversation.
func (t *Tx) change(c *Changes, now time.Time) error {
	for _, f := range c.Facts {
		if err := t.learn(c.Contact, f); err != nil {
			return err
		}
	}
	for _, row := range c.Rows {
		key := row.Key
		if key == "" {
			key = c.Contact
		}
		if err := t.putRow(row.Sheet, key, c.Contact, row.Cells, now); err != nil {
			return err
		}
	}
	for _, tag := range c.Tags {
		if c.Contact == "" {
			break
		}
		if err := t.tag(c.Contact, tag.Tag, tag.Off); err != nil {
			return err
		}
	}
	if len(c.TalkTags) > 0 && c.Conversation != "" {
		if err := t.Tag(c.Conversation, c.TalkTags, nil, now); err != nil {
			return err
		}
	}
	if c.Stage != nil && c.Contact != "" {
		if err := t.stand(c.Contact, *c.Stage); err != nil {
			return err
		}
	}
	for i := range c.Runs {
		if err := t.putRun(&c.Runs[i], now); err != nil {
			return err
		}
	}
	if c.OptOut != nil { // after the runs of the turn, which end by it too
		if err := t.optOut(c.Channel, c.Address, c.Contact, c.OptOut.Again, now); err != nil {
			return err
		}
	}
	for _, m := range c.Milestones {
		if _, err := t.exec(`INSERT INTO milestone (id, name, flow, contact_id, conversation_id, at) VALUES (?, ?, ?, ?, ?, ?)`,
			NewID(), m.Name, m.Flow, nullable(m.Contact), nullable(m.Conversation), millis(now)); err != nil {
			return err
		}
	}
	for _, m := range c.Missed {
		if err := t.missed(m, now); err != nil {
			return err
		}
	}
	for _, h := range c.Happenings {
		if err := t.Happen(h); err != nil {
			return err
		}
	}
	for _, e := range c.Effects {
		if err := t.putEffect(e, now); err != nil {
			return err
		}
	}
	for _, d := range c.Idle {
		if err := t.PutTimer(Timer{ID: "idle/" + c.Conversation + "/" + d.String(), Kind: "idle", Subject: c.Conversation, Body: d.String(), DueAt: now.Add(d)}); err != nil {
			return err
		}
	}
	return nil
}

// optOut records the wish of a handle. With the wish not to be written to, all runs end
// that would write to the contact.
func (t *Tx) optOut(channel, address, contact string, again bool, now time.Time) error {
	if again {
		_, err := t.exec(`DELETE FROM opt_out WHERE channel = ? AND address = ?`, channel, address)
		return err
	}
	if _, err := t.exec(`INSERT INTO opt_out (channel, address, at) VALUES (?, ?, ?) ON CONFLICT DO NOTHING`, channel, address, millis(now)); err != nil {
		return err
	}
	return t.stopRuns(`talks = 1 AND contact_id = ?`, contact, "the customer does not want to be written to", now)
}

// stopRuns ends runs from outside. Timers of theirs find nothing when they are due.
func (t *Tx) stopRuns(where, id, why string, now time.Time) error {
	_, err := t.exec(`UPDATE run SET status = 'stopped', why = ?, waits_for = '', until = NULL, revision = revision + 1, updated_at = ?,
		state = json_set(json_remove(state, '$.wait'), '$.end', json_object('how', 'stopped', 'why', ?1)) WHERE status IN ('going', 'waiting') AND `+where, why, millis(now), id)
	return err
}

// StopRun ends a run, which must go on; else it is ErrNotFound.
func (t *Tx) StopRun(id, why string, now time.Time) error {
	var conversation sql.NullString
	if err := t.row(`SELECT conversation_id FROM run WHERE id = ? AND status IN ('going', 'waiting', 'failed')`, []any{id}, &conversation); err != nil {
		return err
	}
	if _, err := t.exec(`UPDATE run SET status = 'going' WHERE id = ? AND status = 'failed'`, id); err != nil {
		return err
	}
	if err := t.stopRuns(`id = ?`, id, why, now); err != nil {
		return err
	}
	if conversation.Valid { // a turn that is being decided must know
		if _, err := t.exec(`UPDATE conversation SET version = version + 1 WHERE id = ?`, conversation.String); err != nil {
			return err
		}
		if err := t.happened(conversation.String, "Flow stopped: "+why, now); err != nil {
			return err
		}
	}
	return t.runEvent("run.ended", id, conversation.String, now)
}

func (t *Tx) runEvent(kind, id, conversation string, now time.Time) error {
	return t.event(kind, id, map[string]any{"run": id, "conversation": conversation}, now)
}

// putRun keeps a run: a new one if its limits allow it, else as it stands now.
func (t *Tx) putRun(r *Run, now time.Time) error {
	until := sql.NullInt64{Int64: millis(r.Until), Valid: !r.Until.IsZero()}
	kind := "run.changed"
	if r.New {
		if err := mayStart(t.row, *r, now); err != nil {
			return err
		}
		if _, err := t.exec(`INSERT INTO run (id, flow, version, contact_id, conversation_id, status, talks, state, place, waits_for, until, started_by, depth, why, started_at, updated_at)
			VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`, r.ID, r.Flow, r.Version, nullable(r.ContactID), nullable(r.ConversationID), r.Status, r.Talks,
			r.State, r.Place, r.WaitsFor, until, r.StartedBy, r.Depth, r.Why, millis(now), millis(now)); err != nil {
			return err
		}
		if _, err := t.exec(`INSERT INTO flow_fired (flow, fired_at) VALUES (?, ?) ON CONFLICT (flow) DO UPDATE SET fired_at = excluded.fired_at`, r.Flow, millis(now)); err != nil {
			return err
		}
		kind = "run.started"
	} else {
		n, err := t.exec(`UPDATE run SET status = ?, state = ?, place = ?, waits_for = ?, until = ?, why = ?, conversation_id = ?, version = ?, revision = revision + 1, updated_at = ?
			WHERE id = ? AND revision = ?`, r.Status, r.State, r.Place, r.WaitsFor, until, r.Why, nullable(r.ConversationID), r.Version, millis(now), r.ID, r.Revision)
		if err != nil {
			return err
		}
		if n == 0 {
			return ErrStale
		}
	}
	if len(r.Passed) > 0 {
		last := 0
		if err := t.row(`SELECT coalesce(max(seq), 0) FROM run_step WHERE run_id = ?`, []any{r.ID}, &last); err != nil {
			return err
		}
		for i, p := range r.Passed {
			if _, err := t.exec(`INSERT INTO run_step (run_id, seq, path, number, line, words, at) VALUES (?, ?, ?, ?, ?, ?, ?)`,
				r.ID, last+i+1, p.Path, p.Number, p.Line, p.Words, millis(p.At)); err != nil {
				return err
			}
		}
		if extra := last + len(r.Passed) - keptSteps; extra > 0 {
			if _, err := t.exec(`DELETE FROM run_step WHERE run_id = ? AND seq <= ?`, r.ID, extra); err != nil {
				return err
			}
		}
	}
	timer := "run/" + r.ID
	switch {
	case r.Status == "waiting" && r.WaitsFor == flow.ForTalk:
		// The engine opens a conversation.
	case r.Status == "waiting" && until.Valid:
		if err := t.PutTimer(Timer{ID: timer, Kind: "run", Subject: r.ID, Body: fmt.Sprint(r.WaitID), DueAt: r.Until}); err != nil {
			return err
		}
	case !r.New:
		if _, err := t.exec(`DELETE FROM timer WHERE id = ?`, timer); err != nil {
			return err
		}
	}
	if r.Status == "done" || r.Status == "stopped" || r.Status == "failed" {
		kind = "run.ended"
	}
	return t.runEvent(kind, r.ID, r.ConversationID, now)
}

// ErrStale is returned for a commit with a run that has changed since it was read.
var ErrStale = errors.New("the run has changed meanwhile")

// mayStart says whether the limits of a flow allow another start.
func mayStart(row func(query string, args []any, into ...any) error, r Run, now time.Time) error {
	l := r.Limits
	count := func(query string, args ...any) (n int, err error) {
		err = row(query, args, &n)
		return n, err
	}
	if l.One && r.ContactID != "" {
		if n, err := count(`SELECT count(*) FROM run WHERE contact_id = ? AND flow = ? AND status IN ('going', 'waiting')`, r.ContactID, r.Flow); err != nil || n > 0 {
			return errors.Join(err, limit(n > 0, "it is running for the contact already"))
		}
	}
	if l.PerContact > 0 && r.ContactID != "" {
		if n, err := count(`SELECT count(*) FROM run WHERE contact_id = ? AND flow = ? AND started_at > ?`, r.ContactID, r.Flow, millis(now.Add(-l.Within))); err != nil || n >= l.PerContact {
			return errors.Join(err, limit(n >= l.PerContact, fmt.Sprintf("it started %d times for the contact within %s", n, flow.Spoken(l.Within))))
		}
	}
	if l.PerHour > 0 {
		if n, err := count(`SELECT count(*) FROM run WHERE flow = ? AND started_at > ?`, r.Flow, millis(now.Add(-time.Hour))); err != nil || n >= l.PerHour {
			return errors.Join(err, limit(n >= l.PerHour, fmt.Sprintf("it started %d times within the hour", n)))
		}
	}
	return nil
}

func limit(is bool, why string) error {
	if !is {
		return nil
	}
	return fmt.Errorf("%w: %s", ErrLimit, why)
}

// CommitRun keeps what a run without a conversation came to, if it is still as it was when
// it was stepped; otherwise it is ErrStale. The events that it was stepped with are done.
func (t *Tx) CommitRun(c *Changes, events []string, now time.Time) error {
	if err := t.change(c, now); err != nil || len(events) == 0 {
		return err
	}
	_, err := t.exec(`DELETE FROM run_event WHERE id IN (SELECT value FROM json_each(?))`, asJSON(events))
	return err
}

// Tell notes what happened to a run, so that it is stepped with it; it returns the
// conversation in whose turn that is, "" if the run has none. A run that is not there any
// more is ErrNotFound.
func (t *Tx) Tell(runID string, e flow.Event) (conversation string, err error) {
	var of sql.NullString
	if err := t.row(`SELECT conversation_id FROM run WHERE id = ? AND status IN ('going', 'waiting', 'failed')`, []any{runID}, &of); err != nil {
		return "", err
	}
	if of.Valid {
		return of.String, t.Wake(of.String, string(dialogue.ByRun), asJSON(dialogue.RunWake{Run: runID, Event: e}))
	}
	_, err = t.exec(`INSERT INTO run_event (id, run_id, event) VALUES (?, ?, ?)`, NewID(), runID, asJSON(e))
	return "", err
}

// Run returns one run, or ErrNotFound.
func (s *Store) Run(ctx context.Context, id string) (r Run, err error) {
	err = ErrNotFound
	failed := s.reader.rows(ctx, `SELECT `+runColumns+` FROM run r WHERE r.id = ?`, []any{id}, func(scan func(...any) error) error {
		r, err = scanRun(scan)
		return err
	})
	return r, errors.Join(failed, err)
}

// RetryRun lets a failed run take its step again; one that has not failed is ErrNotFound.
func (t *Tx) RetryRun(id string, now time.Time) (conversation string, err error) {
	var there int
	if err := t.row(`SELECT 1 FROM run WHERE id = ? AND status = 'failed'`, []any{id}, &there); err != nil {
		return "", err
	}
	return t.Tell(id, flow.Event{Kind: flow.Retried})
}

// Told notes that a person was told of a failed run.
func (t *Tx) Told(id string) error {
	_, err := t.exec(`UPDATE run SET told = 1 WHERE id = ?`, id)
	return err
}

// MayStart says why a flow may not start for a contact now by its limits, "" if it may.
func (s *Store) MayStart(ctx context.Context, r Run, now time.Time) string {
	why := ""
	note := func(err error) {
		if errors.Is(err, ErrLimit) {
			why = err.Error()
		}
	}
	note(mayStart(func(query string, args []any, into ...any) error { return s.reader.row(ctx, query, args, into...) }, r, now))
	return why
}

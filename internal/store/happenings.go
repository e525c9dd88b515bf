package store

import (
	"context"
	"encoding/json"
	"errors"
	"time"

	"urgentparrot.example/internal/core/flow"
)

func (t *Tx) missed(m Missed, now time.Time) error {
	_, err := t.exec(`INSERT INTO flow_fired (flow, missed_at, missed) VALUES (?, ?, ?) ON CONFLICT (flow) DO UPDATE SET missed_at = excluded.missed_at, missed = excluded.missed`, m.Flow, millis(now), m.Why)
	return err
}

// Miss records why a flow did not start.
func (t *Tx) Miss(m Missed, now time.Time) error { return t.missed(m, now) }

// Happen notes something that may start flows.
func (t *Tx) Happen(h flow.Happening) error {
	t.occurred = true
	_, err := t.exec(`INSERT INTO happening (id, body) VALUES (?, ?)`, NewID(), asJSON(h))
	return err
}

// occur notes something that may start flows, if any listens for its kind.
func (t *Tx) occur(h flow.Happening) error {
	if !t.listensTo(h.Kind) {
		return nil
	}
	return t.Happen(h)
}

func (t *Tx) listensTo(kind string) bool {
	listens := t.writer.listens.Load()
	return listens != nil && (*listens)[kind]
}

// Occurred is signalled when something that may start flows was kept.
func (s *Store) Occurred() <-chan struct{} { return s.writer.occurred }

// Listen says for which kinds of happenings there are flows.
func (s *Store) Listen(kinds map[string]bool) { s.writer.listens.Store(&kinds) }

// A Happened is something that may start flows, as it was noted.
type Happened struct {
	ID string
	flow.Happening
}

// Happenings returns what may start flows and was not looked at, oldest first, at most
// limit.
func (s *Store) Happenings(ctx context.Context, limit int) (list []Happened, err error) {
	err = s.reader.rows(ctx, `SELECT id, body FROM happening ORDER BY id LIMIT ?`, []any{limit}, func(scan func(...any) error) error {
		var h Happened
		var raw string
		if err := scan(&h.ID, &raw); err != nil {
			return err
		}
		err := json.Unmarshal([]byte(raw), &h.Happening)
		list = append(list, h)
		return err
	})
	return list, err
}

// LookedAt ends what may have started flows, with the runs that it started. Those that the
// limits do not allow are noted as missed.
func (t *Tx) LookedAt(id string, runs []Run, missed []Missed, now time.Time) (started []Run, err error) {
	n, err := t.exec(`DELETE FROM happening WHERE id = ?`, id)
	if err != nil || n == 0 {
		return nil, err
	}
	for _, r := range runs {
		switch err := t.putRun(&r, now); {
		case errors.Is(err, ErrLimit):
			missed = append(missed, Missed{r.Flow, err.Error()})
			continue
		case err != nil:
			return nil, err
		}
		if _, err := t.Tell(r.ID, flow.Event{Kind: flow.Began}); err != nil {
			return nil, err
		}
		started = append(started, r)
	}
	for _, m := range missed {
		if err := t.missed(m, now); err != nil {
			return nil, err
		}
	}
	return started, nil
}

// Idle notes that nobody has written in a conversation for a while, if a bot leads it.
func (t *Tx) Idle(conversation, idle string) error {
	var contact, channel string
	err := t.row(`SELECT contact_id, channel FROM conversation WHERE id = ? AND lead = 'bot'`, []any{conversation}, &contact, &channel)
	if errors.Is(err, ErrNotFound) {
		return nil
	}
	if err != nil {
		return err
	}
	return t.occur(flow.Happening{Kind: "conversation", Contact: contact, Talk: conversation, Values: map[string]any{"what": "idle", "idle": idle, "reason": "", "channel": channel}})
}

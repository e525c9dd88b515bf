package store

import (
	"context"
	"time"
)

// An Event tells what happened, in the order in which it was committed.
type Event struct {
	Seq     int64
	Type    string
	Subject string
	Data    string // JSON
	At      time.Time
}

// event notes what happened. It is written at the end of the group of commits.
func (t *Tx) event(kind, subject string, data any, at time.Time) error {
	t.events = append(t.events, pendingEvent{kind, subject, asJSON(data), millis(at)})
	return nil
}

type pendingEvent struct {
	Type    string `json:"t"`
	Subject string `json:"s"`
	Data    string `json:"d"`
	At      int64  `json:"a"`
}

// writeEvents writes what was noted since the last time, as one statement.
func (t *Tx) writeEvents() error {
	if len(t.events) == 0 {
		return nil
	}
	_, err := t.exec(`INSERT INTO event (type, subject, data, at)
		SELECT value ->> 't', value ->> 's', value ->> 'd', value ->> 'a' FROM json_each(?) ORDER BY key`, asJSON(t.events))
	t.events = t.events[:0]
	return err
}

// ChannelChanged notes that channels work otherwise than before: opened, closed, or failed.
func (t *Tx) ChannelChanged(at time.Time, names ...string) error {
	for _, name := range names {
		if err := t.event("channel.changed", "channel/"+name, map[string]any{"channel": name}, at); err != nil {
			return err
		}
	}
	return nil
}

// EventsAfter returns the events after a number, oldest first, at most limit.
func (s *Store) EventsAfter(ctx context.Context, seq int64, limit int) (list []Event, err error) {
	err = s.reader.rows(ctx, `SELECT seq, type, subject, data, at FROM event WHERE seq > ? ORDER BY seq LIMIT ?`, []any{seq, limit}, func(scan func(...any) error) error {
		var e Event
		var at int64
		err := scan(&e.Seq, &e.Type, &e.Subject, &e.Data, &at)
		e.At = fromMillis(at)
		list = append(list, e)
		return err
	})
	return list, err
}

// LastEvent returns the number of the newest event, 0 if there is none.
func (s *Store) LastEvent(ctx context.Context) (seq int64, err error) {
	err = s.reader.row(ctx, `SELECT coalesce(max(seq), 0) FROM event`, nil, &seq)
	return seq, err
}

// SweepEvents removes events and remembered requests older than a time.
func (t *Tx) SweepEvents(before time.Time) error {
	if _, err := t.exec(`DELETE FROM event WHERE at < ?`, millis(before)); err != nil {
		return err
	}
	_, err := t.exec(`DELETE FROM request WHERE at < ?`, millis(before))
	return err
}

// Request returns the answer that a request with this key was given before, or
// ErrNotFound.
func (s *Store) Request(ctx context.Context, key string) (body string, err error) {
	err = s.reader.row(ctx, `SELECT body FROM request WHERE key = ?`, []any{key}, &body)
	return body, err
}

// PutRequest remembers the answer to a request. It reports false if there is one
// already: then the request has been carried out before.
func (t *Tx) PutRequest(key, body string, now time.Time) (bool, error) {
	n, err := t.exec(`INSERT INTO request (key, body, at) VALUES (?, ?, ?) ON CONFLICT DO NOTHING`, key, body, millis(now))
	return n > 0, err
}

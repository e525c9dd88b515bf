package store

import (
	"context"
	"errors"
	"time"
)

// A Switch is one of the workspace's that is on.
type Switch struct {
	By string
	At time.Time
}

// Switch returns a switch of the workspace, nil if it is off.
func (s *Store) Switch(ctx context.Context, name string) (*Switch, error) {
	var sw Switch
	var at int64
	err := s.reader.row(ctx, `SELECT by, at FROM switch WHERE name = ?`, []any{name}, &sw.By, &at)
	if errors.Is(err, ErrNotFound) {
		return nil, nil
	}
	sw.At = fromMillis(at)
	return &sw, err
}

// SetSwitch sets a switch of the workspace.
func (t *Tx) SetSwitch(name string, on bool, by string, now time.Time) error {
	query, args := `DELETE FROM switch WHERE name = ?`, []any{name}
	if on {
		query, args = `INSERT INTO switch (name, by, at) VALUES (?, ?, ?) ON CONFLICT DO NOTHING`, []any{name, by, millis(now)}
	}
	if _, err := t.exec(query, args...); err != nil {
		return err
	}
	return t.event("switch.changed", name, map[string]any{"switch": name, "on": on}, now)
}

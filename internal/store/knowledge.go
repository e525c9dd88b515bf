package store

import (
	"context"
	"encoding/json"
	"time"

	"urgentparrot.example/internal/core/knowledge"
)

// A Source is where passages come from.
type Source struct {
	ID, Name, Title, Hash string
	Bytes                 int
	Passages              int
	ReadAt                time.Time
	Error                 string // why the last reading failed, "" if it did not
}

const sourceColumns = `s.id, s.name, s.title, s.hash, s.bytes, s.read_at, s.error, (SELECT count(*) FROM passage p WHERE p.source_id = s.id)`

func scanSource(scan func(...any) error) (s Source, err error) {
	var at int64
	err = scan(&s.ID, &s.Name, &s.Title, &s.Hash, &s.Bytes, &at, &s.Error, &s.Passages)
	s.ReadAt = fromMillis(at)
	return s, err
}

// Sources returns all sources by name.
func (s *Store) Sources(ctx context.Context) (list []Source, err error) {
	err = s.reader.rows(ctx, `SELECT `+sourceColumns+` FROM source s ORDER BY s.name`, nil, func(scan func(...any) error) error {
		source, err := scanSource(scan)
		list = append(list, source)
		return err
	})
	return list, err
}

// Source returns the source with an id or a name, or ErrNotFound.
func (s *Store) Source(ctx context.Context, key string) (source Source, err error) {
	err = s.reader.row(ctx, `SELECT id FROM source WHERE id = ?1 OR name = ?1`, []any{key}, &source.ID)
	if err != nil {
		return source, err
	}
	err = s.reader.rows(ctx, `SELECT `+sourceColumns+` FROM source s WHERE s.id = ?`, []any{source.ID}, func(scan func(...any) error) error {
		source, err = scanSource(scan)
		return err
	})
	return source, err
}

// Passages returns the passages of a source, or of all for "", in order.
func (s *Store) Passages(ctx context.Context, sourceID string) (list []knowledge.Passage, err error) {
	err = s.reader.rows(ctx, `SELECT p.id, p.source_id, s.name, s.title, p.trail, p.question, p.text, p.position, s.read_at
		FROM passage p JOIN source s ON s.id = p.source_id WHERE ?1 = '' OR s.id = ?1 ORDER BY s.name, p.position`,
		[]any{sourceID}, func(scan func(...any) error) error {
			var p knowledge.Passage
			var trail string
			var at int64
			if err := scan(&p.ID, &p.SourceID, &p.Source, &p.Title, &trail, &p.Question, &p.Text, &p.Position, &at); err != nil {
				return err
			}
			p.ReadAt = fromMillis(at)
			list = append(list, p)
			return json.Unmarshal([]byte(trail), &list[len(list)-1].Trail)
		})
	return list, err
}

// PutSource keeps a source with its passages in place of what it had. A source
// of the same name keeps its id.
func (t *Tx) PutSource(source Source, passages []knowledge.Passage) (id string, err error) {
	err = t.row(`INSERT INTO source (id, name, title, hash, bytes, read_at, error) VALUES (?, ?, ?, ?, ?, ?, ?)
		ON CONFLICT (name) DO UPDATE SET title = excluded.title, hash = excluded.hash, bytes = excluded.bytes, read_at = excluded.read_at, error = excluded.error
		RETURNING id`,
		[]any{source.ID, source.Name, source.Title, source.Hash, source.Bytes, millis(source.ReadAt), source.Error}, &id)
	if err != nil {
		return "", err
	}
	if _, err := t.exec(`DELETE FROM passage WHERE source_id = ?`, id); err != nil {
		return "", err
	}
	for i, p := range passages {
		trail := p.Trail
		if trail == nil {
			trail = []string{}
		}
		if _, err := t.exec(`INSERT INTO passage (id, source_id, position, trail, question, text) VALUES (?, ?, ?, ?, ?, ?)`,
			p.ID, id, i, asJSON(trail), p.Question, p.Text); err != nil {
			return "", err
		}
	}
	return id, t.event("source.read", id, map[string]any{"source": id, "name": source.Name, "passages": len(passages)}, source.ReadAt)
}

// RemoveSource removes a source and its passages, or returns ErrNotFound.
func (t *Tx) RemoveSource(id string, now time.Time) error {
	n, err := t.exec(`DELETE FROM source WHERE id = ?`, id)
	if err != nil {
		return err
	}
	if n == 0 {
		return ErrNotFound
	}
	return t.event("source.removed", id, map[string]any{"source": id}, now)
}

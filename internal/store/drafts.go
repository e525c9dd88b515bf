package store

import (
	"context"
	"errors"
	"time"
)

// Drafts returns what is being written of the documents of a kind, by name; some may not be
// there otherwise.
func (s *Store) Drafts(ctx context.Context, kind string) (list []Document, err error) {
	err = s.reader.rows(ctx, `SELECT name, text, author, at FROM document_draft WHERE kind = ? ORDER BY name`, []any{kind}, func(scan func(...any) error) error {
		d := Document{Kind: kind}
		var at int64
		err := scan(&d.Name, &d.Text, &d.Author, &at)
		d.UpdatedAt = fromMillis(at)
		list = append(list, d)
		return err
	})
	return list, err
}

// PutDraft keeps a draft beside the document of its name, in place of one that was there.
func (t *Tx) PutDraft(d Document) error {
	if _, err := t.exec(`INSERT INTO document_draft (kind, name, text, author, at) VALUES (?, ?, ?, ?, ?)
		ON CONFLICT DO UPDATE SET text = excluded.text, author = excluded.author, at = excluded.at`, d.Kind, d.Name, d.Text, d.Author, millis(d.UpdatedAt)); err != nil {
		return err
	}
	return t.drafted(d.Kind, d.Name, d.UpdatedAt)
}

// RemoveDraft throws a draft away, or returns ErrNotFound.
func (t *Tx) RemoveDraft(kind, name string, now time.Time) error {
	n, err := t.exec(`DELETE FROM document_draft WHERE kind = ? AND name = ?`, kind, name)
	if err == nil && n == 0 {
		err = ErrNotFound
	}
	if err != nil {
		return err
	}
	return t.drafted(kind, name, now)
}

func (t *Tx) drafted(kind, name string, now time.Time) error {
	return t.event("document.drafted", kind+"/"+name, map[string]any{"kind": kind, "name": name}, now)
}

// settleDraft throws the draft of a document away that is kept or removed.
func (t *Tx) settleDraft(kind, name string, now time.Time) error {
	if err := t.RemoveDraft(kind, name, now); !errors.Is(err, ErrNotFound) {
		return err
	}
	return nil
}

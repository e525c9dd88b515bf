package store

import (
	"context"
	"time"
)

// A ContactNote is what a person noted about a contact.
type ContactNote struct {
	ID, Text, Author string
	At               time.Time
}

// ContactNotes returns the notes about a contact, the newest first.
func (s *Store) ContactNotes(ctx context.Context, contact string) (list []ContactNote, err error) {
	err = s.reader.rows(ctx, `SELECT id, text, author, at FROM contact_note WHERE contact_id = ? ORDER BY id DESC`, []any{contact}, func(scan func(...any) error) error {
		var n ContactNote
		var at int64
		err := scan(&n.ID, &n.Text, &n.Author, &at)
		n.At = fromMillis(at)
		list = append(list, n)
		return err
	})
	return list, err
}

// AddContactNote keeps a note about a contact; one that is not there is ErrNotFound.
func (t *Tx) AddContactNote(contact, text, author string, now time.Time) error {
	var there int
	if err := t.row(`SELECT 1 FROM contact WHERE id = ?`, []any{contact}, &there); err != nil {
		return err
	}
	if _, err := t.exec(`INSERT INTO contact_note (id, contact_id, text, author, at) VALUES (?, ?, ?, ?, ?)`, NewID(), contact, text, author, millis(now)); err != nil {
		return err
	}
	return t.event("contact.changed", contact, map[string]any{"contact": contact}, now)
}

// RemoveContactNote removes a note; one that is not there is ErrNotFound.
func (t *Tx) RemoveContactNote(contact, note string, now time.Time) error {
	n, err := t.exec(`DELETE FROM contact_note WHERE id = ? AND contact_id = ?`, note, contact)
	if err == nil && n == 0 {
		return ErrNotFound
	}
	if err != nil {
		return err
	}
	return t.event("contact.changed", contact, map[string]any{"contact": contact}, now)
}

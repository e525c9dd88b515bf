package store

import (
	"context"
	"errors"
	"time"
)

// ErrConflict is returned when a record has changed since it was read.
var ErrConflict = errors.New("changed by someone else meanwhile")

// A Document is a workspace document as its writer left it.
type Document struct {
	Kind      string
	Name      string
	Text      string
	Version   int // from 1, grows with each change
	UpdatedAt time.Time
	Author    string
	Live      int // of a kind that has drafts, the version that is used; 0: none
	LiveBy    string
	LiveAt    time.Time
}

// Documents returns the documents of a kind, or all for "", by name.
func (s *Store) Documents(ctx context.Context, kind string) (list []Document, err error) {
	err = s.reader.rows(ctx, `SELECT kind, name, text, version, updated_at, live, live_by, coalesce(live_at, 0) FROM document WHERE ?1 = '' OR kind = ?1 ORDER BY kind, name`,
		[]any{kind}, func(scan func(...any) error) error {
			var d Document
			var at, live int64
			if err := scan(&d.Kind, &d.Name, &d.Text, &d.Version, &at, &d.Live, &d.LiveBy, &live); err != nil {
				return err
			}
			d.UpdatedAt, d.LiveAt = fromMillis(at), fromMillis(live)
			list = append(list, d)
			return nil
		})
	return list, err
}

// Fresh is the version of a document that must not be there yet.
const Fresh = -1

// PutDocument keeps a document. With ifVersion above 0 the kept version must be
// that one, else ErrConflict. A text that is the same changes nothing.
func (t *Tx) PutDocument(d Document, ifVersion int) (version int, err error) {
	var text string
	err = t.row(`SELECT text, version FROM document WHERE kind = ? AND name = ?`, []any{d.Kind, d.Name}, &text, &version)
	if err != nil && !errors.Is(err, ErrNotFound) {
		return 0, err
	}
	if ifVersion > 0 && version != ifVersion || ifVersion == Fresh && version > 0 {
		return version, ErrConflict
	}
	if err := t.settleDraft(d.Kind, d.Name, d.UpdatedAt); err != nil {
		return version, err
	}
	if version > 0 && text == d.Text {
		return version, nil
	}
	if err := t.row(`SELECT coalesce(max(version), 0) + 1 FROM document_version WHERE kind = ? AND name = ?`, []any{d.Kind, d.Name}, &version); err != nil {
		return 0, err
	}
	if _, err := t.exec(`INSERT INTO document_version (kind, name, version, text, author, at) VALUES (?, ?, ?, ?, ?, ?)`, d.Kind, d.Name, version, d.Text, d.Author, millis(d.UpdatedAt)); err != nil {
		return 0, err
	}
	if _, err := t.exec(`DELETE FROM document_version WHERE kind = ?1 AND name = ?2 AND version <= ?3 - ?4 AND version NOT IN (SELECT live FROM document WHERE kind = ?1 AND name = ?2)
		AND NOT (kind = 'flow' AND EXISTS (SELECT 1 FROM run r WHERE r.flow = ?2 AND r.version = document_version.version AND r.status IN ('going', 'waiting', 'failed')))`,
		d.Kind, d.Name, version, keptVersions); err != nil {
		return 0, err
	}
	if _, err = t.exec(`INSERT INTO document (kind, name, text, version, updated_at) VALUES (?, ?, ?, ?, ?)
		ON CONFLICT DO UPDATE SET text = excluded.text, version = excluded.version, updated_at = excluded.updated_at`,
		d.Kind, d.Name, d.Text, version, millis(d.UpdatedAt)); err != nil {
		return 0, err
	}
	return version, t.event("document.changed", d.Kind+"/"+d.Name, map[string]any{"kind": d.Kind, "name": d.Name, "version": version}, d.UpdatedAt)
}

// RemoveDocument removes a document, or returns ErrNotFound.
func (t *Tx) RemoveDocument(kind, name string, now time.Time) error {
	n, err := t.exec(`DELETE FROM document WHERE kind = ? AND name = ?`, kind, name)
	if err == nil && n == 0 {
		err = ErrNotFound
	}
	if err == nil {
		err = t.settleDraft(kind, name, now)
	}
	if err != nil {
		return err
	}
	return t.event("document.removed", kind+"/"+name, map[string]any{"kind": kind, "name": name}, now)
}

// Removed returns the documents of a kind that were removed, each as it was last, the latest
// first.
func (s *Store) Removed(ctx context.Context, kind string) (list []Document, err error) {
	err = s.reader.rows(ctx, `SELECT name, version, text, author, at FROM document_version v WHERE kind = ?1 AND NOT EXISTS (SELECT 1 FROM document d WHERE d.kind = ?1 AND d.name = v.name)
		AND version = (SELECT max(version) FROM document_version w WHERE w.kind = ?1 AND w.name = v.name) ORDER BY at DESC, name`, []any{kind}, func(scan func(...any) error) error {
		d := Document{Kind: kind}
		var at int64
		err := scan(&d.Name, &d.Version, &d.Text, &d.Author, &at)
		d.UpdatedAt = fromMillis(at)
		list = append(list, d)
		return err
	})
	return list, err
}

// keptVersions is how many versions of a document are kept, beside those in use.
const keptVersions = 100

// Versions returns the versions of a document, the newest first.
func (s *Store) Versions(ctx context.Context, kind, name string) (list []Document, err error) {
	err = s.reader.rows(ctx, `SELECT version, text, author, at FROM document_version WHERE kind = ? AND name = ? ORDER BY version DESC`, []any{kind, name}, func(scan func(...any) error) error {
		d := Document{Kind: kind, Name: name}
		var at int64
		err := scan(&d.Version, &d.Text, &d.Author, &at)
		d.UpdatedAt = fromMillis(at)
		list = append(list, d)
		return err
	})
	return list, err
}

// Version returns the text of one version, or ErrNotFound.
func (s *Store) Version(ctx context.Context, kind, name string, version int) (text string, err error) {
	err = s.reader.row(ctx, `SELECT text FROM document_version WHERE kind = ? AND name = ? AND version = ?`, []any{kind, name, version}, &text)
	return text, err
}

// VersionsInUse returns the versions of documents of a kind on which runs go on.
func (s *Store) VersionsInUse(ctx context.Context) (list []Document, err error) {
	err = s.reader.rows(ctx, `SELECT v.kind, v.name, v.version, v.text FROM document_version v WHERE v.kind = 'flow' AND EXISTS
		(SELECT 1 FROM run r WHERE r.flow = v.name AND r.version = v.version AND r.status IN ('going', 'waiting', 'failed'))`, nil, func(scan func(...any) error) error {
		var d Document
		err := scan(&d.Kind, &d.Name, &d.Version, &d.Text)
		list = append(list, d)
		return err
	})
	return list, err
}

// GoLive sets which version of a document is used; 0 for none.
func (t *Tx) GoLive(kind, name string, version int, by string, now time.Time) error {
	if version > 0 {
		var there int
		if err := t.row(`SELECT 1 FROM document_version WHERE kind = ? AND name = ? AND version = ?`, []any{kind, name, version}, &there); err != nil {
			return err
		}
	}
	n, err := t.exec(`UPDATE document SET live = ?, live_by = ?, live_at = ? WHERE kind = ? AND name = ?`, version, by, millis(now), kind, name)
	if err == nil && n == 0 {
		err = ErrNotFound
	}
	if err != nil {
		return err
	}
	return t.event("document.live", kind+"/"+name, map[string]any{"kind": kind, "name": name, "version": version}, now)
}

// Secret returns the sealed secret of a connection and the address that it is meant
// for, or ErrNotFound.
func (s *Store) Secret(ctx context.Context, connection string) (sealed []byte, origin string, err error) {
	err = s.reader.row(ctx, `SELECT sealed, origin FROM secret WHERE name = ?`, []any{connection}, &sealed, &origin)
	return sealed, origin, err
}

// PutSecret keeps a sealed secret, meant for an address.
func (t *Tx) PutSecret(connection string, sealed []byte, origin string, at time.Time) error {
	_, err := t.exec(`INSERT INTO secret (name, sealed, origin, updated_at) VALUES (?, ?, ?, ?)
		ON CONFLICT (name) DO UPDATE SET sealed = excluded.sealed, origin = excluded.origin, updated_at = excluded.updated_at`, connection, sealed, origin, millis(at))
	return err
}

// BindSecret says what address a secret is meant for, if nothing says it yet.
func (t *Tx) BindSecret(connection, origin string) error {
	_, err := t.exec(`UPDATE secret SET origin = ? WHERE name = ? AND origin = ''`, origin, connection)
	return err
}

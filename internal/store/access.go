package store

import (
	"context"
	"database/sql"
	"time"
)

// AccessKind says what a token may be used for.
type AccessKind string

// The kinds of access.
const (
	Session AccessKind = "session" // the console's cookie
	Token   AccessKind = "token"   // a program's bearer token
	Link    AccessKind = "link"    // signs in once
)

// An Access lets its holder in. Only the hash of its token is kept.
type Access struct {
	Hash      string
	Kind      AccessKind
	Label     string
	CreatedAt time.Time
	UsedAt    time.Time // some minutes exactly; zero: never
	ExpiresAt time.Time // zero: does not expire
}

// ID names an access to people. It lets nobody in.
func (a Access) ID() string { return a.Hash[:min(len(a.Hash), 16)] }

// PutAccess keeps an access.
func (t *Tx) PutAccess(a Access) error {
	_, err := t.exec(`INSERT INTO access (hash, kind, label, role, created_at, expires_at) VALUES (?, ?, ?, 'owner', ?, ?)`,
		a.Hash, a.Kind, a.Label, millis(a.CreatedAt), orNull(a.ExpiresAt))
	return err
}

const accessColumns = `SELECT hash, kind, label, created_at, used_at, expires_at FROM access WHERE (expires_at IS NULL OR expires_at > ?)`

func scanAccess(scan func(...any) error) (a Access, err error) {
	var created int64
	var used, expires sql.NullInt64
	err = scan(&a.Hash, &a.Kind, &a.Label, &created, &used, &expires)
	a.CreatedAt, a.UsedAt, a.ExpiresAt = fromMillis(created), optional(used), optional(expires)
	return a, err
}

// Access returns the access with a hash that has not expired, or ErrNotFound.
func (s *Store) Access(ctx context.Context, hash string, now time.Time) (a Access, err error) {
	err = ErrNotFound
	if failed := s.reader.rows(ctx, accessColumns+` AND hash = ?`, []any{millis(now), hash}, func(scan func(...any) error) error {
		a, err = scanAccess(scan)
		return err
	}); failed != nil {
		return a, failed
	}
	return a, err
}

// Accesses returns every access that has not expired, the newest first.
func (s *Store) Accesses(ctx context.Context, now time.Time) (list []Access, err error) {
	const most = 1000
	err = s.reader.rows(ctx, accessColumns+` ORDER BY created_at DESC, hash LIMIT ?`, []any{millis(now), most}, func(scan func(...any) error) error {
		a, err := scanAccess(scan)
		list = append(list, a)
		return err
	})
	return list, err
}

// UseAccess notes that an access was used.
func (t *Tx) UseAccess(id string, now time.Time) error {
	_, err := t.exec(`UPDATE access SET used_at = ? WHERE substr(hash, 1, 16) = ?`, millis(now), id)
	return err
}

// RemoveAccess takes an access back, by its id. It reports whether it was there, so
// that a link signs in once however often it is used at the same time.
func (t *Tx) RemoveAccess(id string) (bool, error) {
	n, err := t.exec(`DELETE FROM access WHERE substr(hash, 1, 16) = ?`, id)
	return n > 0, err
}

// SweepAccess removes what has expired.
func (t *Tx) SweepAccess(now time.Time) error {
	_, err := t.exec(`DELETE FROM access WHERE expires_at <= ?`, millis(now))
	return err
}

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
	ExpiresAt time.Time // zero: does not expire
}

// PutAccess keeps an access.
func (t *Tx) PutAccess(a Access, now time.Time) error {
	expires := sql.NullInt64{Int64: millis(a.ExpiresAt), Valid: !a.ExpiresAt.IsZero()}
	_, err := t.exec(`INSERT INTO access (hash, kind, label, role, created_at, expires_at) VALUES (?, ?, ?, 'owner', ?, ?)`,
		a.Hash, a.Kind, a.Label, millis(now), expires)
	return err
}

// Access returns the access with a hash that has not expired, or ErrNotFound.
func (s *Store) Access(ctx context.Context, hash string, now time.Time) (Access, error) {
	a := Access{Hash: hash}
	var expires sql.NullInt64
	err := s.reader.row(ctx, `SELECT kind, label, expires_at FROM access WHERE hash = ? AND (expires_at IS NULL OR expires_at > ?)`,
		[]any{hash, millis(now)}, &a.Kind, &a.Label, &expires)
	if expires.Valid {
		a.ExpiresAt = fromMillis(expires.Int64)
	}
	return a, err
}

// RemoveAccess takes an access back. It reports whether it was there, so that a
// link signs in once however often it is used at the same time.
func (t *Tx) RemoveAccess(hash string) (bool, error) {
	n, err := t.exec(`DELETE FROM access WHERE hash = ?`, hash)
	return n > 0, err
}

// SweepAccess removes what has expired.
func (t *Tx) SweepAccess(now time.Time) error {
	_, err := t.exec(`DELETE FROM access WHERE expires_at <= ?`, millis(now))
	return err
}

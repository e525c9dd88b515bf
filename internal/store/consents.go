package store

import (
	"context"
	"encoding/json"
	"time"
)

// A Consent is that somebody has let the service in to the other side of a connection.
type Consent struct {
	Connection string
	Sealed     []byte // what it gave
	Reaches    string // where that may be sent
	Scopes     []string
	By         string
	At         time.Time
	EndsAt     time.Time // zero: nobody has said
	Ended      string    // why it is no more, "" while it holds
}

// Consent returns that of a connection, or ErrNotFound.
func (s *Store) Consent(ctx context.Context, connection string) (c Consent, err error) {
	var scopes string
	var at int64
	var ends *int64
	c.Connection = connection
	err = s.reader.row(ctx, `SELECT sealed, reaches, scopes, by, at, ends_at, ended FROM consent WHERE connection = ?`, []any{connection}, &c.Sealed, &c.Reaches, &scopes, &c.By, &at, &ends, &c.Ended)
	if err != nil {
		return c, err
	}
	c.At = fromMillis(at)
	if ends != nil {
		c.EndsAt = fromMillis(*ends)
	}
	return c, json.Unmarshal([]byte(scopes), &c.Scopes)
}

// PutConsent keeps a consent in place of the one that there was.
func (t *Tx) PutConsent(c Consent, now time.Time) error {
	var ends any
	if !c.EndsAt.IsZero() {
		ends = millis(c.EndsAt)
	}
	if _, err := t.exec(`INSERT INTO consent (connection, sealed, reaches, scopes, by, at, ends_at, ended) VALUES (?, ?, ?, ?, ?, ?, ?, ?)
		ON CONFLICT (connection) DO UPDATE SET sealed = excluded.sealed, reaches = excluded.reaches, scopes = excluded.scopes, by = excluded.by, at = excluded.at, ends_at = excluded.ends_at, ended = excluded.ended`,
		c.Connection, c.Sealed, c.Reaches, asJSON(c.Scopes), c.By, millis(c.At), ends, c.Ended); err != nil {
		return err
	}
	return t.consentChanged(c.Connection, now)
}

// EndConsent notes why a consent is no more, and forgets what it gave.
func (t *Tx) EndConsent(connection, why string, now time.Time) error {
	n, err := t.exec(`UPDATE consent SET sealed = x'', ended = ? WHERE connection = ? AND ended = ''`, why, connection)
	if err != nil || n == 0 {
		return err
	}
	return t.consentChanged(connection, now)
}

// RemoveConsent forgets a consent.
func (t *Tx) RemoveConsent(connection string, now time.Time) error {
	n, err := t.exec(`DELETE FROM consent WHERE connection = ?`, connection)
	if err != nil || n == 0 {
		return err
	}
	return t.consentChanged(connection, now)
}

func (t *Tx) consentChanged(connection string, now time.Time) error {
	return t.event("consent.changed", "connection/"+connection, map[string]any{"connection": connection}, now)
}

// ConsentAsked is that a person is being asked for one.
type ConsentAsked struct {
	State      string // hashed
	Connection string
	Person     string // who is asked
	Sealed     []byte
	ExpiresAt  time.Time
}

// PutConsentAsked keeps it, and forgets those that have expired.
func (t *Tx) PutConsentAsked(a ConsentAsked, now time.Time) error {
	if _, err := t.exec(`DELETE FROM consent_asked WHERE expires_at < ?`, millis(now)); err != nil {
		return err
	}
	_, err := t.exec(`INSERT INTO consent_asked (state, connection, person, sealed, expires_at) VALUES (?, ?, ?, ?, ?)`, a.State, a.Connection, a.Person, a.Sealed, millis(a.ExpiresAt))
	return err
}

// TakeConsentAsked returns it and forgets it, so that it is used once; or ErrNotFound.
func (t *Tx) TakeConsentAsked(state string) (a ConsentAsked, err error) {
	var expires int64
	a.State = state
	if err := t.row(`SELECT connection, person, sealed, expires_at FROM consent_asked WHERE state = ?`, []any{state}, &a.Connection, &a.Person, &a.Sealed, &expires); err != nil {
		return a, err
	}
	a.ExpiresAt = fromMillis(expires)
	_, err = t.exec(`DELETE FROM consent_asked WHERE state = ?`, state)
	return a, err
}

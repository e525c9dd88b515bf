package store

import (
	"context"
	"time"
)

// A ReplyToken lets a person answer a notification by mail.
type ReplyToken struct {
	Token, ConversationID string
	Person, Address       string
	Connection            string // that what came of it is told by
	ExpiresAt             time.Time
}

// PutReplyToken keeps a token; one that is there stays as it is.
func (t *Tx) PutReplyToken(r ReplyToken) error {
	_, err := t.exec(`INSERT INTO reply_token (token, conversation_id, person, address, connection, expires_at) VALUES (?, ?, ?, ?, ?, ?) ON CONFLICT DO NOTHING`,
		r.Token, r.ConversationID, r.Person, r.Address, r.Connection, millis(r.ExpiresAt))
	return err
}

// ReplyToken returns a token, or ErrNotFound.
func (s *Store) ReplyToken(ctx context.Context, token string) (r ReplyToken, err error) {
	var expires int64
	r.Token = token
	err = s.reader.row(ctx, `SELECT conversation_id, person, address, connection, expires_at FROM reply_token WHERE token = ?`, []any{token}, &r.ConversationID, &r.Person, &r.Address, &r.Connection, &expires)
	r.ExpiresAt = fromMillis(expires)
	return r, err
}

// SweepReplyTokens removes tokens that ended before a time.
func (t *Tx) SweepReplyTokens(before time.Time) error {
	_, err := t.exec(`DELETE FROM reply_token WHERE expires_at < ?`, millis(before))
	return err
}

-- +goose Up

-- Who may answer a notification by mail, about which conversation, until when.
CREATE TABLE reply_token (
    token           TEXT PRIMARY KEY,
    conversation_id TEXT NOT NULL REFERENCES conversation (id),
    person          TEXT NOT NULL,
    address         TEXT NOT NULL,
    connection      TEXT NOT NULL, -- that the answer goes by
    expires_at      INTEGER NOT NULL
) STRICT, WITHOUT ROWID;
CREATE INDEX reply_token_conversation ON reply_token (conversation_id);

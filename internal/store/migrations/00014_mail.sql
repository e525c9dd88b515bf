-- +goose Up

-- A conversation of a channel with threads has a subject; of one without, none.
ALTER TABLE conversation ADD COLUMN subject TEXT NOT NULL DEFAULT '';
CREATE INDEX conversation_subject ON conversation (channel, address, updated_at) WHERE subject <> '';

-- What came with a message beside its text, as mails bring it; JSON, empty for nothing.
ALTER TABLE message ADD COLUMN beside TEXT NOT NULL DEFAULT '';

-- The files that came with a message. They lie in the folder attachments, by hash.
CREATE TABLE attachment (
    message_id TEXT NOT NULL REFERENCES message (id),
    position   INTEGER NOT NULL,
    hash       TEXT NOT NULL, -- SHA-256 of the content
    name       TEXT NOT NULL,
    type       TEXT NOT NULL, -- as the content shows
    bytes      INTEGER NOT NULL,
    inline     INTEGER NOT NULL CHECK (inline IN (0, 1)),
    PRIMARY KEY (message_id, position)
) STRICT, WITHOUT ROWID;
CREATE INDEX attachment_hash ON attachment (hash);

-- What a channel remembers of the other side, such as how far a mailbox has been read.
CREATE TABLE channel_state (
    channel TEXT NOT NULL,
    name    TEXT NOT NULL,
    value   TEXT NOT NULL,
    PRIMARY KEY (channel, name)
) STRICT, WITHOUT ROWID;

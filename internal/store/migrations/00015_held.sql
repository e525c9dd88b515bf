-- +goose Up

-- Of a bot's reply: what it stands on, and how sure it was; of one that was held, when that
-- becomes too long.
ALTER TABLE message ADD COLUMN topic TEXT NOT NULL DEFAULT '';
ALTER TABLE message ADD COLUMN confidence REAL;

-- The state of the conversation before a turn whose reply is held and that did nothing else:
-- with it the turn is undone when the customer writes on.
ALTER TABLE turn ADD COLUMN before TEXT NOT NULL DEFAULT '';

-- What people did with held replies.
CREATE TABLE approval (
    message_id      TEXT PRIMARY KEY REFERENCES message (id),
    conversation_id TEXT NOT NULL REFERENCES conversation (id),
    topic           TEXT NOT NULL,
    confidence      REAL,
    verdict         TEXT NOT NULL CHECK (verdict IN ('unchanged', 'worded', 'changed', 'rejected')), -- worded: the same in other words
    was             TEXT NOT NULL,
    became          TEXT NOT NULL,
    why             TEXT NOT NULL,
    person          TEXT NOT NULL,
    at              INTEGER NOT NULL
) STRICT, WITHOUT ROWID;
CREATE INDEX approval_topic ON approval (topic, at);
CREATE INDEX approval_at ON approval (at);

-- Topics of which replies go out by themselves where others are held.
CREATE TABLE trusted_topic (
    topic  TEXT PRIMARY KEY,
    person TEXT NOT NULL,
    at     INTEGER NOT NULL
) STRICT, WITHOUT ROWID;

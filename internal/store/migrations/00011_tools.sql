-- +goose Up

-- What tools were called with and what came of it. The id is that of the effect, where one
-- called it. A call that may not be repeated is noted before it is made.
CREATE TABLE tool_call (
    id              TEXT PRIMARY KEY,
    tool            TEXT NOT NULL,
    conversation_id TEXT REFERENCES conversation (id),
    caller          TEXT NOT NULL CHECK (caller IN ('bot', 'flow', 'trial')),
    state           TEXT NOT NULL CHECK (state IN ('begun', 'done', 'failed')),
    arguments       TEXT NOT NULL, -- JSON
    request         TEXT NOT NULL DEFAULT '',
    status          INTEGER NOT NULL DEFAULT 0,
    response        TEXT NOT NULL DEFAULT '',
    error           TEXT NOT NULL DEFAULT '',
    tries           INTEGER NOT NULL DEFAULT 0,
    took            INTEGER NOT NULL DEFAULT 0, -- milliseconds
    at              INTEGER NOT NULL
) STRICT, WITHOUT ROWID;
CREATE INDEX tool_call_tool ON tool_call (tool, id);
CREATE INDEX tool_call_conversation ON tool_call (conversation_id);

-- Calls that a person has to allow.
CREATE TABLE allowance (
    id              TEXT PRIMARY KEY,
    conversation_id TEXT NOT NULL REFERENCES conversation (id),
    tool            TEXT NOT NULL,
    body            TEXT NOT NULL, -- JSON of dialogue.Allow
    state           TEXT NOT NULL CHECK (state IN ('open', 'allowed', 'refused')),
    decided_by      TEXT NOT NULL DEFAULT '',
    why             TEXT NOT NULL DEFAULT '',
    asked_at        INTEGER NOT NULL,
    decided_at      INTEGER
) STRICT, WITHOUT ROWID;
CREATE INDEX allowance_open ON allowance (id) WHERE state = 'open';
CREATE INDEX allowance_conversation ON allowance (conversation_id);

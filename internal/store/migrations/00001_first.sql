-- +goose Up

-- Times are unix milliseconds in UTC, ids are UUIDv7.

CREATE TABLE document (
    kind       TEXT NOT NULL CHECK (kind IN ('settings', 'bot', 'channel', 'connection', 'tool', 'sheet')),
    name       TEXT NOT NULL,
    text       TEXT NOT NULL,
    version    INTEGER NOT NULL,
    updated_at INTEGER NOT NULL,
    PRIMARY KEY (kind, name)
) STRICT, WITHOUT ROWID;

CREATE TABLE secret (
    name       TEXT PRIMARY KEY,
    sealed     BLOB NOT NULL,
    updated_at INTEGER NOT NULL
) STRICT, WITHOUT ROWID;

CREATE TABLE access (
    hash       TEXT PRIMARY KEY, -- SHA-256 of the token; the token itself is not kept
    kind       TEXT NOT NULL CHECK (kind IN ('session', 'token', 'link')),
    label      TEXT NOT NULL,
    role       TEXT NOT NULL CHECK (role IN ('owner')),
    created_at INTEGER NOT NULL,
    expires_at INTEGER -- NULL: does not expire
) STRICT, WITHOUT ROWID;

CREATE TABLE source (
    id       TEXT PRIMARY KEY,
    name     TEXT NOT NULL UNIQUE,
    title    TEXT NOT NULL,
    hash     TEXT NOT NULL, -- of the content, which lies in the folder files
    bytes    INTEGER NOT NULL,
    read_at  INTEGER NOT NULL,
    error    TEXT NOT NULL DEFAULT ''
) STRICT;

CREATE TABLE passage (
    id        TEXT PRIMARY KEY,
    source_id TEXT NOT NULL REFERENCES source (id) ON DELETE CASCADE,
    position  INTEGER NOT NULL,
    trail     TEXT NOT NULL, -- JSON list of headings
    question  TEXT NOT NULL,
    text      TEXT NOT NULL,
    UNIQUE (source_id, position)
) STRICT;

CREATE TABLE contact (
    id         TEXT PRIMARY KEY,
    created_at INTEGER NOT NULL
) STRICT, WITHOUT ROWID;

CREATE TABLE handle (
    channel    TEXT NOT NULL,
    address    TEXT NOT NULL,
    contact_id TEXT NOT NULL REFERENCES contact (id),
    PRIMARY KEY (channel, address)
) STRICT, WITHOUT ROWID;

CREATE INDEX handle_contact ON handle (contact_id);

-- What a contact said of themselves. The newest of a detail holds, unless one
-- was verified.
CREATE TABLE fact (
    id         INTEGER PRIMARY KEY,
    contact_id TEXT NOT NULL REFERENCES contact (id),
    detail     TEXT NOT NULL,
    value      TEXT NOT NULL,
    verified   INTEGER NOT NULL DEFAULT 0 CHECK (verified IN (0, 1)),
    message_id TEXT NOT NULL,
    learnt_at  INTEGER NOT NULL
) STRICT;

CREATE INDEX fact_contact ON fact (contact_id, detail);

CREATE TABLE conversation (
    id           TEXT PRIMARY KEY,
    channel      TEXT NOT NULL,
    address      TEXT NOT NULL,
    contact_id   TEXT NOT NULL REFERENCES contact (id),
    bot          TEXT NOT NULL,
    lead         TEXT NOT NULL CHECK (lead IN ('bot', 'waiting', 'person', 'closed')),
    assignee     TEXT NOT NULL DEFAULT '',
    priority     TEXT NOT NULL DEFAULT 'normal' CHECK (priority IN ('normal', 'high')),
    reason       TEXT NOT NULL DEFAULT '',
    summary      TEXT NOT NULL DEFAULT '', -- JSON
    state        TEXT NOT NULL DEFAULT '{}', -- JSON, the core's
    outcome      TEXT NOT NULL DEFAULT '' CHECK (outcome IN ('', 'bot', 'person', 'left', 'unknown')),
    calling      TEXT NOT NULL DEFAULT '', -- the turn that waits for its tools
    version      INTEGER NOT NULL DEFAULT 1, -- grows with each change of lead or state
    messages     INTEGER NOT NULL DEFAULT 0, -- how many there are; the position of the last
    incoming     INTEGER NOT NULL DEFAULT 0, -- how many of the customer's are there
    preview      TEXT NOT NULL DEFAULT '',
    opened_at    INTEGER NOT NULL,
    updated_at   INTEGER NOT NULL,
    waiting_since INTEGER -- since when a person is waited for
) STRICT, WITHOUT ROWID;

CREATE INDEX conversation_open ON conversation (channel, address) WHERE lead <> 'closed';
CREATE INDEX conversation_lead ON conversation (lead);
CREATE INDEX conversation_waiting ON conversation (waiting_since) WHERE waiting_since IS NOT NULL;
CREATE INDEX conversation_updated ON conversation (updated_at, id);
CREATE INDEX conversation_contact ON conversation (contact_id);

CREATE TABLE turn (
    id              TEXT PRIMARY KEY,
    conversation_id TEXT NOT NULL REFERENCES conversation (id),
    state           TEXT NOT NULL CHECK (state IN ('calling', 'done', 'dropped')),
    results         TEXT NOT NULL DEFAULT '[]', -- JSON, of the tools called
    trace           TEXT NOT NULL,              -- JSON
    at              INTEGER NOT NULL
) STRICT;

CREATE TABLE message (
    id              TEXT PRIMARY KEY,
    conversation_id TEXT NOT NULL REFERENCES conversation (id),
    position        INTEGER NOT NULL,
    author          TEXT NOT NULL CHECK (author IN ('customer', 'bot', 'person', 'automated', 'event')),
    name            TEXT NOT NULL DEFAULT '', -- of the bot or person
    text            TEXT NOT NULL,
    channel         TEXT NOT NULL,
    external_id     TEXT, -- the channel's own, for recognising a repeat
    turn_id         TEXT REFERENCES turn (id),
    citations       TEXT NOT NULL DEFAULT '[]', -- JSON
    at              INTEGER NOT NULL,
    UNIQUE (conversation_id, position)
) STRICT, WITHOUT ROWID;

CREATE UNIQUE INDEX message_external ON message (channel, external_id) WHERE external_id IS NOT NULL;
CREATE INDEX message_undecided ON message (conversation_id) WHERE author = 'customer' AND turn_id IS NULL;

-- What is to be done in the outside world. Each is carried out until it is
-- confirmed; its id is the idempotency key.
CREATE TABLE effect (
    id              TEXT PRIMARY KEY,
    kind            TEXT NOT NULL CHECK (kind IN ('send', 'call', 'sync', 'notify')),
    lane            TEXT NOT NULL, -- effects of a lane are carried out in order
    conversation_id TEXT NOT NULL REFERENCES conversation (id),
    turn_id         TEXT,
    by_bot          INTEGER NOT NULL CHECK (by_bot IN (0, 1)),
    body            TEXT NOT NULL, -- JSON
    state           TEXT NOT NULL CHECK (state IN ('pending', 'done', 'failed', 'cancelled')),
    attempts        INTEGER NOT NULL DEFAULT 0,
    error           TEXT NOT NULL DEFAULT '',
    next_at         INTEGER NOT NULL,
    created_at      INTEGER NOT NULL
) STRICT, WITHOUT ROWID;

CREATE INDEX effect_pending ON effect (conversation_id) WHERE state = 'pending';
CREATE INDEX effect_failed ON effect (id) WHERE state = 'failed';

CREATE TABLE sheet_row (
    sheet      TEXT NOT NULL,
    key        TEXT NOT NULL, -- one row a contact
    cells      TEXT NOT NULL, -- JSON, by column
    created_at INTEGER NOT NULL,
    updated_at INTEGER NOT NULL,
    PRIMARY KEY (sheet, key)
) STRICT, WITHOUT ROWID;

CREATE TABLE event (
    seq     INTEGER PRIMARY KEY AUTOINCREMENT,
    type    TEXT NOT NULL,
    subject TEXT NOT NULL,
    data    TEXT NOT NULL, -- JSON
    at      INTEGER NOT NULL
) STRICT;

-- Answers to requests that must not happen twice.
CREATE TABLE request (
    key  TEXT PRIMARY KEY,
    body TEXT NOT NULL,
    at   INTEGER NOT NULL
) STRICT, WITHOUT ROWID;

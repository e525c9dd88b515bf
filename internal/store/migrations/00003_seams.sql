-- +goose Up

-- Kinds of documents, effects, sources and access are checked by the program, so
-- that a new one needs no new table. Tables that listed them are made anew; the
-- connection that upgrades does not enforce foreign keys meanwhile.

CREATE TABLE document_new (
    kind       TEXT NOT NULL,
    name       TEXT NOT NULL,
    text       TEXT NOT NULL,
    version    INTEGER NOT NULL,
    updated_at INTEGER NOT NULL,
    PRIMARY KEY (kind, name)
) STRICT, WITHOUT ROWID;
INSERT INTO document_new SELECT kind, name, text, version, updated_at FROM document;
DROP TABLE document;
ALTER TABLE document_new RENAME TO document;

CREATE TABLE access_new (
    hash       TEXT PRIMARY KEY, -- SHA-256 of the token; the token itself is not kept
    kind       TEXT NOT NULL,
    label      TEXT NOT NULL,
    role       TEXT NOT NULL,
    created_at INTEGER NOT NULL,
    expires_at INTEGER -- NULL: does not expire
) STRICT, WITHOUT ROWID;
INSERT INTO access_new SELECT hash, kind, label, role, created_at, expires_at FROM access;
DROP TABLE access;
ALTER TABLE access_new RENAME TO access;

CREATE TABLE source_new (
    id          TEXT PRIMARY KEY,
    name        TEXT NOT NULL UNIQUE,
    title       TEXT NOT NULL,
    hash        TEXT NOT NULL, -- of the content, which lies in the folder files
    bytes       INTEGER NOT NULL,
    read_at     INTEGER NOT NULL,
    error       TEXT NOT NULL DEFAULT '',
    kind        TEXT NOT NULL DEFAULT 'file',
    address     TEXT NOT NULL DEFAULT '',   -- page, site: where it begins
    options     TEXT NOT NULL DEFAULT '{}', -- JSON: how it is read
    every       INTEGER NOT NULL DEFAULT 0, -- milliseconds between readings; 0: by hand
    tried_at    INTEGER,                    -- when it was last tried to read
    next_at     INTEGER,                    -- when it is read again; NULL: by hand
    valid_from  INTEGER,
    valid_until INTEGER
) STRICT;
INSERT INTO source_new SELECT id, name, title, hash, bytes, read_at, error, kind, address, options, every, tried_at, next_at, valid_from, valid_until FROM source;
DROP TABLE source;
ALTER TABLE source_new RENAME TO source;
CREATE INDEX source_due ON source (next_at) WHERE next_at IS NOT NULL;

-- An effect need not belong to a conversation. of_bot: it ends when a person
-- comes in.
CREATE TABLE effect_new (
    id              TEXT PRIMARY KEY,
    kind            TEXT NOT NULL,
    lane            TEXT NOT NULL, -- effects of a lane are carried out in order
    conversation_id TEXT REFERENCES conversation (id),
    turn_id         TEXT,
    of_bot          INTEGER NOT NULL CHECK (of_bot IN (0, 1)),
    body            TEXT NOT NULL, -- JSON
    state           TEXT NOT NULL CHECK (state IN ('pending', 'done', 'failed', 'cancelled')),
    attempts        INTEGER NOT NULL DEFAULT 0,
    error           TEXT NOT NULL DEFAULT '',
    next_at         INTEGER NOT NULL,
    created_at      INTEGER NOT NULL
) STRICT, WITHOUT ROWID;
INSERT INTO effect_new SELECT id, kind, lane, conversation_id, turn_id, by_bot AND kind IN ('send', 'call'), body, state, attempts, error, next_at, created_at FROM effect;
DROP TABLE effect;
ALTER TABLE effect_new RENAME TO effect;
CREATE INDEX effect_pending ON effect (conversation_id) WHERE state = 'pending';
CREATE INDEX effect_failed ON effect (id) WHERE state = 'failed';

UPDATE effect SET body = json_remove(json_set(body, '$.message.parts', json_array(json_object('kind', 'text', 'text', json_extract(body, '$.message.text')))), '$.message.text')
    WHERE kind = 'send' AND json_extract(body, '$.message.text') IS NOT NULL;
UPDATE effect SET body = json_remove(json_set(body, '$.facts', json_extract(body, '$.details')), '$.details')
    WHERE kind = 'sync' AND json_extract(body, '$.details') IS NOT NULL;

-- What is known of a contact is a fact of a field.
ALTER TABLE fact RENAME COLUMN detail TO field;
ALTER TABLE fact ADD COLUMN verified_by TEXT NOT NULL DEFAULT ''; -- who vouches for it: a channel, or a person
ALTER TABLE contact ADD COLUMN stage TEXT NOT NULL DEFAULT '';

CREATE TABLE contact_tag (
    contact_id TEXT NOT NULL REFERENCES contact (id),
    tag        TEXT NOT NULL,
    PRIMARY KEY (contact_id, tag)
) STRICT, WITHOUT ROWID;

UPDATE conversation SET summary = json_remove(json_set(summary, '$.memory', json_extract(summary, '$.details')), '$.details')
    WHERE summary <> '' AND json_extract(summary, '$.details') IS NOT NULL;

-- A message has parts and a state. shown orders what the customer sees; NULL: they
-- do not see it.
ALTER TABLE message ADD COLUMN parts TEXT NOT NULL DEFAULT ''; -- JSON; empty: the text alone
ALTER TABLE message ADD COLUMN state TEXT NOT NULL DEFAULT '' CHECK (state IN ('', 'received', 'made', 'held', 'sent', 'failed', 'withdrawn'));
ALTER TABLE message ADD COLUMN shown TEXT;
UPDATE message SET state = 'received' WHERE author IN ('customer', 'automated');
UPDATE message SET state = coalesce((SELECT CASE e.state WHEN 'pending' THEN 'made' WHEN 'done' THEN 'sent' WHEN 'cancelled' THEN 'withdrawn' ELSE e.state END
    FROM effect e WHERE e.id = message.id), 'sent') WHERE author IN ('bot', 'person');
UPDATE message SET shown = id WHERE author = 'customer' OR state IN ('made', 'sent');
CREATE INDEX message_held ON message (conversation_id) WHERE state = 'held';

-- What a turn came to is a code.
ALTER TABLE turn ADD COLUMN code TEXT NOT NULL DEFAULT '';
UPDATE turn SET code = CASE json_extract(trace, '$.decision')
    WHEN 'answered in part' THEN 'answered_in_part' WHEN 'asked again' THEN 'asked_back' WHEN 'asked which' THEN 'asked_which'
    WHEN 'not known' THEN 'not_known' WHEN 'handed over' THEN 'handed_over' WHEN 'not handed over' THEN 'not_handed_over'
    WHEN 'small talk' THEN 'small_talk' WHEN 'calling a tool' THEN 'calling' ELSE coalesce(json_extract(trace, '$.decision'), '') END;
UPDATE turn SET trace = json_remove(json_set(trace, '$.code', code), '$.decision') WHERE json_valid(trace);

-- What is to happen at a time. One clock sleeps until the next is due.
CREATE TABLE timer (
    id      TEXT PRIMARY KEY,
    kind    TEXT NOT NULL,
    subject TEXT NOT NULL, -- whom it is for, such as a conversation
    body    TEXT NOT NULL DEFAULT '', -- JSON
    due_at  INTEGER NOT NULL
) STRICT, WITHOUT ROWID;
CREATE INDEX timer_due ON timer (due_at);

-- What wakes a turn beside a message, until a turn has covered it.
CREATE TABLE wake (
    id              TEXT PRIMARY KEY,
    conversation_id TEXT NOT NULL REFERENCES conversation (id),
    kind            TEXT NOT NULL,
    body            TEXT NOT NULL DEFAULT '', -- JSON
    position        INTEGER NOT NULL -- of the last message then
) STRICT, WITHOUT ROWID;
CREATE INDEX wake_conversation ON wake (conversation_id);

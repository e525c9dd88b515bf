-- +goose Up

-- Every text that a document had, with who wrote it. Of kinds that have drafts, live is the
-- version that is used; 0: none. Of others the newest is used.
CREATE TABLE document_version (
    kind    TEXT NOT NULL,
    name    TEXT NOT NULL,
    version INTEGER NOT NULL,
    text    TEXT NOT NULL,
    author  TEXT NOT NULL,
    at      INTEGER NOT NULL,
    PRIMARY KEY (kind, name, version)
) STRICT, WITHOUT ROWID;
INSERT INTO document_version (kind, name, version, text, author, at) SELECT kind, name, version, text, '', updated_at FROM document;

ALTER TABLE document ADD COLUMN live INTEGER NOT NULL DEFAULT 0;
ALTER TABLE document ADD COLUMN live_by TEXT NOT NULL DEFAULT '';
ALTER TABLE document ADD COLUMN live_at INTEGER;

-- Runs of flows. Where one stands is in state, the core's.
CREATE TABLE run (
    id              TEXT PRIMARY KEY,
    flow            TEXT NOT NULL,
    version         INTEGER NOT NULL,
    contact_id      TEXT REFERENCES contact (id),
    conversation_id TEXT REFERENCES conversation (id),
    status          TEXT NOT NULL CHECK (status IN ('going', 'waiting', 'done', 'stopped', 'failed')),
    talks           INTEGER NOT NULL CHECK (talks IN (0, 1)),
    state           TEXT NOT NULL, -- JSON
    place           TEXT NOT NULL DEFAULT '', -- the path of the step
    waits_for       TEXT NOT NULL DEFAULT '',
    until           INTEGER,
    started_by      TEXT NOT NULL,
    depth           INTEGER NOT NULL DEFAULT 0,
    why             TEXT NOT NULL DEFAULT '', -- how it ended
    told            INTEGER NOT NULL DEFAULT 0, -- a person was told that it failed
    revision        INTEGER NOT NULL DEFAULT 1, -- grows with each change
    started_at      INTEGER NOT NULL,
    updated_at      INTEGER NOT NULL
) STRICT, WITHOUT ROWID;
CREATE INDEX run_conversation ON run (conversation_id) WHERE status IN ('going', 'waiting');
CREATE INDEX run_contact ON run (contact_id, flow, started_at);
CREATE INDEX run_flow ON run (flow, started_at);
CREATE INDEX run_version ON run (flow, version, status) WHERE status IN ('going', 'waiting', 'failed');
CREATE INDEX run_talk ON run (id) WHERE status = 'waiting' AND waits_for = 'talk';
CREATE INDEX run_failed ON run (updated_at) WHERE status = 'failed';

-- What a run did, step by step.
CREATE TABLE run_step (
    run_id TEXT NOT NULL REFERENCES run (id) ON DELETE CASCADE,
    seq    INTEGER NOT NULL,
    path   TEXT NOT NULL,
    number TEXT NOT NULL,
    line   INTEGER NOT NULL,
    words  TEXT NOT NULL,
    at     INTEGER NOT NULL,
    PRIMARY KEY (run_id, seq)
) STRICT, WITHOUT ROWID;

-- What happened to a run without a conversation, until it was stepped with it.
CREATE TABLE run_event (
    id     TEXT PRIMARY KEY,
    run_id TEXT NOT NULL REFERENCES run (id) ON DELETE CASCADE,
    event  TEXT NOT NULL -- JSON
) STRICT, WITHOUT ROWID;
CREATE INDEX run_event_run ON run_event (run_id);

-- What may start flows, until it was looked at.
CREATE TABLE happening (
    id   TEXT PRIMARY KEY,
    body TEXT NOT NULL -- JSON
) STRICT, WITHOUT ROWID;

-- When a flow was last started, and why it was not the last time it was not.
CREATE TABLE flow_fired (
    flow       TEXT PRIMARY KEY,
    fired_at   INTEGER,
    missed_at  INTEGER,
    missed     TEXT NOT NULL DEFAULT ''
) STRICT, WITHOUT ROWID;

CREATE TABLE form_entry (
    id         TEXT PRIMARY KEY,
    form       TEXT NOT NULL,
    said       TEXT NOT NULL, -- JSON, as it was typed
    cleaned    TEXT NOT NULL, -- JSON
    doubtful   TEXT NOT NULL, -- JSON list of fields that could not be cleaned
    contact_id TEXT REFERENCES contact (id),
    at         INTEGER NOT NULL
) STRICT, WITHOUT ROWID;
CREATE INDEX form_entry_form ON form_entry (form, id);

-- Bodies that were posted to flows.
CREATE TABLE posted (
    id    TEXT PRIMARY KEY,
    flow  TEXT NOT NULL,
    body  TEXT NOT NULL,
    error TEXT NOT NULL DEFAULT '', -- why it did not fit; '': it did
    at    INTEGER NOT NULL
) STRICT, WITHOUT ROWID;
CREATE INDEX posted_flow ON posted (flow, id);

CREATE TABLE opt_out (
    channel TEXT NOT NULL,
    address TEXT NOT NULL,
    at      INTEGER NOT NULL,
    PRIMARY KEY (channel, address)
) STRICT, WITHOUT ROWID;

ALTER TABLE contact ADD COLUMN blocked INTEGER NOT NULL DEFAULT 0 CHECK (blocked IN (0, 1));

-- Switches of the workspace, such as the one that pauses all sending.
CREATE TABLE switch (
    name TEXT PRIMARY KEY,
    by   TEXT NOT NULL,
    at   INTEGER NOT NULL
) STRICT, WITHOUT ROWID;

CREATE TABLE milestone (
    id              TEXT PRIMARY KEY,
    name            TEXT NOT NULL,
    flow            TEXT NOT NULL DEFAULT '',
    contact_id      TEXT,
    conversation_id TEXT,
    at              INTEGER NOT NULL
) STRICT, WITHOUT ROWID;
CREATE INDEX milestone_contact ON milestone (contact_id, name, at);
CREATE INDEX milestone_name ON milestone (name, at);

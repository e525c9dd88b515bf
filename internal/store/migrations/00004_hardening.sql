-- +goose Up

-- The hash of what could not be read without breaking: while a page is the same,
-- it is left alone.
ALTER TABLE page ADD COLUMN broke TEXT NOT NULL DEFAULT '';

-- Conversations whose turns failed by their own fault, until one is decided again.
CREATE TABLE turn_failure (
    conversation_id TEXT PRIMARY KEY REFERENCES conversation (id) ON DELETE CASCADE,
    times           INTEGER NOT NULL, -- in a row
    error           TEXT NOT NULL,
    at              INTEGER NOT NULL
) STRICT, WITHOUT ROWID;

-- The record that stands for a contact in an outside system.
CREATE TABLE contact_record (
    contact_id TEXT NOT NULL REFERENCES contact (id) ON DELETE CASCADE,
    connection TEXT NOT NULL,
    record_id  TEXT NOT NULL, -- the outside system's
    PRIMARY KEY (contact_id, connection)
) STRICT, WITHOUT ROWID;

-- A secret is sent to the address only that it was set for; '': to be bound when the
-- workspace is opened.
ALTER TABLE secret ADD COLUMN origin TEXT NOT NULL DEFAULT '';

-- When an access was last used, some minutes exactly.
ALTER TABLE access ADD COLUMN used_at INTEGER;

-- Written to find out whether anything can be.
CREATE TABLE probe (
    id INTEGER PRIMARY KEY CHECK (id = 1),
    at INTEGER NOT NULL
) STRICT;

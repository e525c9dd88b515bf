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

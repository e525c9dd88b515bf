-- +goose Up

-- Where a contact was joined with another, which one stands for it now.
ALTER TABLE contact ADD COLUMN merged_into TEXT REFERENCES contact (id);
-- Whether bots may write to it; if not, people answer.
ALTER TABLE contact ADD COLUMN bots INTEGER NOT NULL DEFAULT 1 CHECK (bots IN (0, 1));

CREATE TABLE contact_note (
    id         TEXT PRIMARY KEY,
    contact_id TEXT NOT NULL REFERENCES contact (id),
    text       TEXT NOT NULL,
    author     TEXT NOT NULL,
    at         INTEGER NOT NULL
) STRICT, WITHOUT ROWID;
CREATE INDEX contact_note_contact ON contact_note (contact_id);

-- What moved when two contacts were joined, so that it can be undone.
CREATE TABLE contact_merge (
    id        TEXT PRIMARY KEY,
    kept      TEXT NOT NULL REFERENCES contact (id),
    gone      TEXT NOT NULL REFERENCES contact (id),
    moved     TEXT NOT NULL, -- JSON: by table, what identifies the rows
    by        TEXT NOT NULL,
    at        INTEGER NOT NULL,
    undone_at INTEGER
) STRICT, WITHOUT ROWID;

-- Whose a row of a sheet is, so that it can be forgotten with them.
ALTER TABLE sheet_row ADD COLUMN contact_id TEXT REFERENCES contact (id);
UPDATE sheet_row SET contact_id = key WHERE key IN (SELECT id FROM contact);
CREATE INDEX sheet_row_contact ON sheet_row (contact_id);

CREATE INDEX fact_value ON fact (field, value);

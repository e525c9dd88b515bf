-- +goose Up

-- A source is read in pages: a file is one, a ZIP has one for each file in it, a
-- website one for each address.

ALTER TABLE source ADD COLUMN kind TEXT NOT NULL DEFAULT 'file' CHECK (kind IN ('file', 'text', 'page', 'site'));
ALTER TABLE source ADD COLUMN address TEXT NOT NULL DEFAULT '';     -- page, site: where it begins
ALTER TABLE source ADD COLUMN options TEXT NOT NULL DEFAULT '{}';   -- JSON: how it is read
ALTER TABLE source ADD COLUMN every INTEGER NOT NULL DEFAULT 0;     -- milliseconds between readings; 0: by hand
ALTER TABLE source ADD COLUMN tried_at INTEGER;                     -- when it was last tried to read
ALTER TABLE source ADD COLUMN next_at INTEGER;                      -- when it is read again; NULL: by hand
ALTER TABLE source ADD COLUMN valid_from INTEGER;
ALTER TABLE source ADD COLUMN valid_until INTEGER;

CREATE INDEX source_due ON source (next_at) WHERE next_at IS NOT NULL;

CREATE TABLE page (
    id        TEXT PRIMARY KEY,
    source_id TEXT NOT NULL REFERENCES source (id) ON DELETE CASCADE,
    address   TEXT NOT NULL,
    title     TEXT NOT NULL,
    hash      TEXT NOT NULL, -- of what was read
    etag      TEXT NOT NULL DEFAULT '',
    modified  TEXT NOT NULL DEFAULT '', -- as the server gave it
    read_at   INTEGER NOT NULL,
    error     TEXT NOT NULL DEFAULT '', -- why it could not be read the last time
    UNIQUE (source_id, address)
) STRICT, WITHOUT ROWID;

INSERT INTO page (id, source_id, address, title, hash, read_at) SELECT 'page-' || id, id, '', title, hash, read_at FROM source;

CREATE TABLE passage_in_page (
    id        TEXT PRIMARY KEY,
    source_id TEXT NOT NULL REFERENCES source (id) ON DELETE CASCADE,
    page_id   TEXT NOT NULL REFERENCES page (id) ON DELETE CASCADE,
    position  INTEGER NOT NULL, -- within the page
    trail     TEXT NOT NULL, -- JSON list of headings
    question  TEXT NOT NULL,
    text      TEXT NOT NULL,
    model     TEXT NOT NULL DEFAULT '', -- that made the views; empty: none yet
    views     BLOB, -- vectors of what knowledge.Passage.Said returns, one after another
    UNIQUE (page_id, position)
) STRICT;

INSERT INTO passage_in_page (id, source_id, page_id, position, trail, question, text)
    SELECT id, source_id, 'page-' || source_id, position, trail, question, text FROM passage;
DROP TABLE passage;
ALTER TABLE passage_in_page RENAME TO passage;

CREATE INDEX passage_source ON passage (source_id);
CREATE INDEX passage_model ON passage (model);

-- What people wrote or approved as the answer to a question.
CREATE TABLE house_answer (
    id          TEXT PRIMARY KEY,
    question    TEXT NOT NULL,
    answer      TEXT NOT NULL,
    author      TEXT NOT NULL,
    version     INTEGER NOT NULL,
    created_at  INTEGER NOT NULL,
    updated_at  INTEGER NOT NULL,
    review_at   INTEGER, -- when it is to be looked at again
    valid_from  INTEGER,
    valid_until INTEGER,
    model       TEXT NOT NULL DEFAULT '',
    views       BLOB
) STRICT, WITHOUT ROWID;

-- Questions that nobody's knowledge answered, alike ones together.
CREATE TABLE gap (
    id         TEXT PRIMARY KEY,
    question   TEXT NOT NULL, -- the first wording
    times      INTEGER NOT NULL DEFAULT 0,
    state      TEXT NOT NULL DEFAULT 'open' CHECK (state IN ('open', 'closed')),
    first_at   INTEGER NOT NULL,
    last_at    INTEGER NOT NULL,
    closed_by  TEXT NOT NULL DEFAULT '' -- the house answer that fills it, or who set it aside
) STRICT, WITHOUT ROWID;

CREATE INDEX gap_open ON gap (times) WHERE state = 'open';

CREATE TABLE gap_question (
    id              INTEGER PRIMARY KEY,
    gap_id          TEXT NOT NULL REFERENCES gap (id) ON DELETE CASCADE,
    conversation_id TEXT NOT NULL REFERENCES conversation (id),
    turn_id         TEXT NOT NULL,
    wording         TEXT NOT NULL,
    waits           INTEGER NOT NULL DEFAULT 1 CHECK (waits IN (0, 1)), -- nobody has answered it yet
    at              INTEGER NOT NULL,
    UNIQUE (turn_id, wording)
) STRICT;

CREATE INDEX gap_question_gap ON gap_question (gap_id);
CREATE INDEX gap_question_waits ON gap_question (conversation_id) WHERE waits = 1;

-- House answers proposed from what people replied.
CREATE TABLE lesson (
    id              TEXT PRIMARY KEY,
    conversation_id TEXT REFERENCES conversation (id),
    message_id      TEXT, -- the reply that it was taken from
    gap_id          TEXT REFERENCES gap (id),
    question        TEXT NOT NULL,
    answer          TEXT NOT NULL,
    author          TEXT NOT NULL,
    state           TEXT NOT NULL DEFAULT 'proposed' CHECK (state IN ('proposed', 'approved', 'rejected')),
    house_id        TEXT, -- the house answer that it became, or is to be joined with
    beside          TEXT NOT NULL DEFAULT '', -- JSON: what the knowledge says to the same question, and whether it differs
    created_at      INTEGER NOT NULL,
    decided_by      TEXT NOT NULL DEFAULT '',
    decided_at      INTEGER
) STRICT, WITHOUT ROWID;

CREATE UNIQUE INDEX lesson_message ON lesson (message_id, question) WHERE message_id IS NOT NULL;
CREATE INDEX lesson_state ON lesson (state);

-- +goose Up

-- The tokens of a passage's sentences, as encoder.Bytes keeps them; made with the views.
-- They are read for the few passages that a question is held against.
ALTER TABLE passage ADD COLUMN tokens BLOB;
ALTER TABLE house_answer ADD COLUMN tokens BLOB;

-- What customers said to something that was offered for their question.
CREATE TABLE example (
    id              TEXT PRIMARY KEY,
    conversation_id TEXT NOT NULL REFERENCES conversation (id),
    turn_id         TEXT NOT NULL,
    question        TEXT NOT NULL,
    passage_id      TEXT NOT NULL, -- it may be gone by now
    source          TEXT NOT NULL,
    label           TEXT NOT NULL,
    words           TEXT NOT NULL, -- what was offered
    answers         INTEGER NOT NULL CHECK (answers IN (0, 1)),
    how             TEXT NOT NULL, -- yes, chosen; no, other words, another was chosen
    at              INTEGER NOT NULL
) STRICT, WITHOUT ROWID;

CREATE INDEX example_at ON example (at);

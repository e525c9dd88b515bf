-- +goose Up

-- The tokens of a passage's sentences, as encoder.Bytes keeps them; made with the views.
-- They are many times larger than the passage, and read for the few only that a question
-- is held against, so they lie apart.
CREATE TABLE passage_tokens (
    passage_id TEXT PRIMARY KEY REFERENCES passage (id) ON DELETE CASCADE,
    model      TEXT NOT NULL, -- that made them
    tokens     BLOB NOT NULL
) STRICT;

INSERT INTO passage_tokens SELECT id, model, tokens FROM passage WHERE tokens IS NOT NULL;

ALTER TABLE passage DROP COLUMN tokens;

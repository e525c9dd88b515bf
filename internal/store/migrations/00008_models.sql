-- +goose Up

-- What was put to a language model in a turn, and what came of it (dialogue.Thought); the
-- turn is decided again with it. What is kept for people stands in the trace.
ALTER TABLE turn ADD COLUMN thoughts TEXT NOT NULL DEFAULT '[]';

-- Each exchange with a language model: what it took, and what it cost.
CREATE TABLE model_use (
    id              TEXT PRIMARY KEY,
    bot             TEXT NOT NULL, -- '' for the reading of sources
    connection      TEXT NOT NULL,
    kind            TEXT NOT NULL, -- what was asked for
    conversation_id TEXT,
    turn_id         TEXT,
    tokens_read     INTEGER NOT NULL,
    tokens_written  INTEGER NOT NULL,
    cost            INTEGER NOT NULL, -- millionths of the currency
    took            INTEGER NOT NULL, -- milliseconds
    error           TEXT NOT NULL,
    at              INTEGER NOT NULL
) STRICT;

CREATE INDEX model_use_by_bot ON model_use (bot, at);
CREATE INDEX model_use_by_time ON model_use (at);

-- The questions that a passage answers, in customers' words: a JSON list; who wrote them:
-- '' for nobody yet, 'model', or 'person'.
ALTER TABLE passage ADD COLUMN asked TEXT NOT NULL DEFAULT '[]';
ALTER TABLE passage ADD COLUMN asked_by TEXT NOT NULL DEFAULT '';

CREATE INDEX passage_unasked ON passage (asked_by) WHERE asked_by = '';

-- +goose Up

-- What customers taught of confidence: a chance, as a logit, times slope plus shift.
CREATE TABLE calibration (
    id        INTEGER PRIMARY KEY CHECK (id = 1),
    slope     REAL NOT NULL,
    shift     REAL NOT NULL,
    questions INTEGER NOT NULL, -- that it was fitted on
    person    TEXT NOT NULL,    -- who took it into use
    at        INTEGER NOT NULL
) STRICT;

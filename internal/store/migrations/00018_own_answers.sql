-- +goose Up

-- Knowledge of one bot alone; '': of all.
ALTER TABLE house_answer ADD COLUMN bot TEXT NOT NULL DEFAULT '';
ALTER TABLE lesson ADD COLUMN bot TEXT NOT NULL DEFAULT '';

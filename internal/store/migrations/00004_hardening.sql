-- +goose Up

-- The hash of what could not be read without breaking: while a page is the same,
-- it is left alone.
ALTER TABLE page ADD COLUMN broke TEXT NOT NULL DEFAULT '';

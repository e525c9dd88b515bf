-- +goose Up

-- What a conversation is marked with, in order; JSON.
ALTER TABLE conversation ADD COLUMN tags TEXT NOT NULL DEFAULT '[]';

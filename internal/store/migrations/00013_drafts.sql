-- +goose Up

-- What somebody is still writing of a document that is used at once when it is kept. Flows
-- and other kinds that have drafts of their own are not here.
CREATE TABLE document_draft (
    kind   TEXT NOT NULL,
    name   TEXT NOT NULL,
    text   TEXT NOT NULL,
    author TEXT NOT NULL,
    at     INTEGER NOT NULL,
    PRIMARY KEY (kind, name)
) STRICT, WITHOUT ROWID;

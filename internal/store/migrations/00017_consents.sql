-- +goose Up

-- That somebody has let the service in to the other side of a connection.
CREATE TABLE consent (
    connection TEXT PRIMARY KEY,
    sealed     BLOB NOT NULL,            -- what it gave
    reaches    TEXT NOT NULL,            -- where it is sent
    scopes     TEXT NOT NULL,            -- what it allows, a JSON list
    by         TEXT NOT NULL,
    at         INTEGER NOT NULL,
    ends_at    INTEGER,                  -- NULL: nobody has said
    ended      TEXT NOT NULL DEFAULT ''  -- why it is no more
) STRICT, WITHOUT ROWID;

-- Who is being asked at the moment.
CREATE TABLE consent_asked (
    state      TEXT PRIMARY KEY,         -- hashed
    connection TEXT NOT NULL,
    person     TEXT NOT NULL,
    sealed     BLOB NOT NULL,            -- what shows that it was us who asked
    expires_at INTEGER NOT NULL
) STRICT, WITHOUT ROWID;

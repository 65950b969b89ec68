-- Papers as they were given out, by the SHA-256 of their bytes: what somebody was handed stays what it was.
CREATE TABLE paper (
    hash TEXT PRIMARY KEY,
    bytes BLOB NOT NULL
) STRICT;
CREATE TABLE given_out (
    id INTEGER PRIMARY KEY,
    boat_id INTEGER NOT NULL REFERENCES boat,
    edition TEXT NOT NULL,
    hash TEXT NOT NULL REFERENCES paper,
    by_name TEXT NOT NULL,
    at TEXT NOT NULL
) STRICT;
CREATE INDEX given_out_by_boat ON given_out (boat_id);

-- Species a yard added to the shipped table, as the core's `Own`.
CREATE TABLE species (
    code TEXT PRIMARY KEY,                                -- what parts and boards speak of it by
    body TEXT NOT NULL,                                   -- JSON
    version INTEGER NOT NULL DEFAULT 1,
    removed INTEGER NOT NULL DEFAULT 0,
    by_name TEXT NOT NULL,
    at TEXT NOT NULL
) STRICT;

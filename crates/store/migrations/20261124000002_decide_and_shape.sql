-- Deciding under the yard's own rules, shapes as they were taken, and what holds a hull while it is open.

-- The yard's ways: one document of the core's Practice; missing parts are the handbook's.
CREATE TABLE practice (
    id INTEGER PRIMARY KEY CHECK (id = 1),
    body TEXT NOT NULL,
    version INTEGER NOT NULL DEFAULT 1
) STRICT;

ALTER TABLE boat ADD COLUMN moulds INTEGER NOT NULL DEFAULT 0;      -- moulds or battens hold the whole shape
ALTER TABLE boat ADD COLUMN deck_school TEXT NOT NULL DEFAULT 'covering_first';

ALTER TABLE piece ADD COLUMN version INTEGER NOT NULL DEFAULT 1;    -- of its outline

-- A plank's shape as it was taken from the boat.
CREATE TABLE capture (
    id INTEGER PRIMARY KEY,
    boat_id INTEGER NOT NULL REFERENCES boat (id),
    member_id INTEGER NOT NULL REFERENCES member (id),
    name TEXT NOT NULL,
    body TEXT NOT NULL,                                   -- JSON of the core's Capture
    tolerance REAL NOT NULL CHECK (tolerance >= 0),       -- mm
    radius REAL,                                          -- mm; of the frames under it, null: nearly flat
    note TEXT NOT NULL,
    withdrawn INTEGER NOT NULL DEFAULT 0,
    version INTEGER NOT NULL DEFAULT 1,
    by_name TEXT NOT NULL,
    at TEXT NOT NULL
) STRICT;
CREATE INDEX capture_by_boat ON capture (boat_id);

-- Practice hulls: what each is made from, and every look that was paid for. Her truth is nowhere: it is made from the seed again.
CREATE TABLE practice_hull (
    boat_id INTEGER PRIMARY KEY REFERENCES boat (id),
    seed TEXT NOT NULL,                                   -- JSON
    uncovered_at TEXT
) STRICT;
CREATE TABLE practice_look (
    id INTEGER PRIMARY KEY,
    boat_id INTEGER NOT NULL REFERENCES boat (id),
    place TEXT NOT NULL,
    tool TEXT NOT NULL,
    at TEXT NOT NULL
) STRICT;
CREATE INDEX practice_look_by_boat ON practice_look (boat_id);
-- Short drills answered: of which kind, and whether right.
CREATE TABLE practice_drill (
    id INTEGER PRIMARY KEY,
    kind TEXT NOT NULL,
    correct INTEGER NOT NULL,
    by_name TEXT NOT NULL,
    at TEXT NOT NULL
) STRICT;

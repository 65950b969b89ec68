-- How a coat went on: air, wood, batch, what was seen, against which rule and why (JSON); when it is dry and cured.
ALTER TABLE coat ADD COLUMN laid TEXT;
ALTER TABLE coat ADD COLUMN dry_at TEXT;
ALTER TABLE coat ADD COLUMN cured_at TEXT;

-- A yard's own recipes. A change is a new row that takes the old one's place: plans made by the old one keep its coats.
CREATE TABLE recipe (
    id INTEGER PRIMARY KEY,
    code TEXT NOT NULL,                                   -- stays the same through all versions
    name TEXT NOT NULL,
    steps TEXT NOT NULL,                                  -- JSON array of coats
    by_name TEXT NOT NULL,
    at TEXT NOT NULL,
    superseded INTEGER NOT NULL DEFAULT 0
) STRICT;
CREATE UNIQUE INDEX recipe_in_force ON recipe (code) WHERE superseded = 0;

-- Faces with a coat that the sun wears, and where she lies.
CREATE TABLE coated (
    id INTEGER PRIMARY KEY,
    boat_id INTEGER NOT NULL REFERENCES boat,
    what TEXT NOT NULL,
    coat TEXT NOT NULL,                                   -- varnish or paint
    area REAL NOT NULL,                                   -- m²
    tilt REAL NOT NULL,                                   -- 0 flat … 90 upright
    looks TEXT NOT NULL,                                  -- forward, aft, port, starboard, around
    shade REAL NOT NULL,                                  -- 0 in the open … 1 under cover all year
    height REAL NOT NULL,                                 -- m above where one stands
    on_day TEXT NOT NULL,                                 -- the full system was done then
    by_name TEXT NOT NULL,
    at TEXT NOT NULL,
    withdrawn INTEGER NOT NULL DEFAULT 0
) STRICT;
CREATE INDEX coated_boat ON coated (boat_id);
CREATE TABLE coat_seen (
    id INTEGER PRIMARY KEY,
    coated_id INTEGER NOT NULL REFERENCES coated,
    on_day TEXT NOT NULL,
    worn REAL NOT NULL,                                   -- 0 as new … 1 gone
    note TEXT NOT NULL,
    by_name TEXT NOT NULL,
    at TEXT NOT NULL
) STRICT;
CREATE INDEX coat_seen_of ON coat_seen (coated_id);
CREATE TABLE berth (
    boat_id INTEGER PRIMARY KEY REFERENCES boat,
    latitude REAL NOT NULL,                               -- degrees north
    bow REAL                                              -- where it points, degrees from north; NULL: she swings
) STRICT;

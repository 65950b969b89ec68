-- Refastened regions ticked off crossing by crossing, the metal on a boat, and fittings that are bored for once.

CREATE TABLE refasten (
    id INTEGER PRIMARY KEY,
    boat_id INTEGER NOT NULL REFERENCES boat (id),
    name TEXT NOT NULL,
    side TEXT NOT NULL CHECK (side IN ('port', 'starboard')),
    strake_from INTEGER NOT NULL,
    strake_to INTEGER NOT NULL,
    frame_from INTEGER NOT NULL,
    frame_to INTEGER NOT NULL,
    metal TEXT NOT NULL,
    to_plane_off REAL NOT NULL,                           -- mm
    withdrawn INTEGER NOT NULL DEFAULT 0,
    by_name TEXT NOT NULL,
    at TEXT NOT NULL
) STRICT;
CREATE INDEX refasten_by_boat ON refasten (boat_id);

-- A crossing that was done.
CREATE TABLE refasten_done (
    id INTEGER PRIMARY KEY,
    refasten_id INTEGER NOT NULL REFERENCES refasten (id),
    strake INTEGER NOT NULL,
    frame INTEGER NOT NULL,
    note TEXT NOT NULL,
    photo TEXT,                                           -- hash
    by_name TEXT NOT NULL,
    at TEXT NOT NULL,
    UNIQUE (refasten_id, strake, frame)
) STRICT;

CREATE TABLE metal_item (
    id INTEGER PRIMARY KEY,
    boat_id INTEGER NOT NULL REFERENCES boat (id),
    name TEXT NOT NULL,
    metal TEXT NOT NULL,
    zone TEXT NOT NULL,
    area REAL NOT NULL CHECK (area >= 0),                 -- wetted, mm²
    x REAL NOT NULL,                                      -- mm aft of frame 1
    y REAL NOT NULL,                                      -- athwart, port positive
    z REAL NOT NULL,                                      -- up from the keel
    in_wood INTEGER NOT NULL,
    in_oak INTEGER NOT NULL,
    alkali INTEGER NOT NULL,
    fitted INTEGER,                                       -- year
    withdrawn INTEGER NOT NULL DEFAULT 0,
    by_name TEXT NOT NULL,
    at TEXT NOT NULL
) STRICT;
CREATE INDEX metal_item_by_boat ON metal_item (boat_id);

CREATE TABLE bolted (
    id INTEGER PRIMARY KEY,
    boat_id INTEGER NOT NULL REFERENCES boat (id),
    name TEXT NOT NULL,
    body TEXT NOT NULL,                                   -- JSON: diameter, layers, holes …
    first_by INTEGER REFERENCES account (id),             -- two people sign before it is bored
    first_at TEXT,
    second_by INTEGER REFERENCES account (id),
    second_at TEXT,
    withdrawn INTEGER NOT NULL DEFAULT 0,
    by_name TEXT NOT NULL,
    at TEXT NOT NULL
) STRICT;
CREATE INDEX bolted_by_boat ON bolted (boat_id);

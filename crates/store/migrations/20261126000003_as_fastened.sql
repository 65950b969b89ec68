-- How a boat is fastened as somebody recorded it, by region and time: rivets of her building, iron put in later.
CREATE TABLE fastened (
    id INTEGER PRIMARY KEY,
    boat_id INTEGER NOT NULL REFERENCES boat (id),
    side TEXT CHECK (side IN ('port', 'starboard')),      -- null: both
    strake_from INTEGER NOT NULL,
    strake_to INTEGER NOT NULL,
    frame_from INTEGER NOT NULL,
    frame_to INTEGER NOT NULL,
    kind TEXT NOT NULL,
    metal TEXT NOT NULL,                                  -- id of the table of metals
    diameter REAL,                                        -- shank, mm; null: not known
    year INTEGER,                                         -- null: not known
    share TEXT NOT NULL CHECK (share IN ('all', 'some')),
    note TEXT NOT NULL,
    withdrawn INTEGER NOT NULL DEFAULT 0,
    by_name TEXT NOT NULL,
    at TEXT NOT NULL
) STRICT;
CREATE INDEX fastened_by_boat ON fastened (boat_id);

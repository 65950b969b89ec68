-- Openings made to look, each with what it is to show and what may be decided after it; and things that must be drawn out of her.
CREATE TABLE opening (
    id INTEGER PRIMARY KEY,
    boat_id INTEGER NOT NULL REFERENCES boat (id),
    what TEXT NOT NULL,
    shows TEXT NOT NULL,                                  -- what it is to show
    decides TEXT NOT NULL,                                -- what may be decided after it
    thing TEXT,                                           -- what is drawn; null: nothing, it is opened to look
    length REAL,                                          -- of what is drawn, mm
    room REAL,                                            -- there is so much, mm; null: nobody measured it
    weight REAL,                                          -- kg; null: nobody knows
    seen TEXT,                                            -- what was seen; null: not open yet
    opened_at TEXT,
    withdrawn INTEGER NOT NULL DEFAULT 0,
    by_name TEXT NOT NULL,
    at TEXT NOT NULL
) STRICT;
CREATE INDEX opening_by_boat ON opening (boat_id);

-- The rack in full: what is known of a board beside its size, its moisture and photos, what was cut from it, cutting plans; the
-- shed's air; what merchants ask; and the stores.

ALTER TABLE board ADD COLUMN details TEXT NOT NULL DEFAULT '{}';    -- JSON of the core's Details
ALTER TABLE board ADD COLUMN version INTEGER NOT NULL DEFAULT 1;
ALTER TABLE board ADD COLUMN withdrawn INTEGER NOT NULL DEFAULT 0;  -- an offcut of a cut that was taken back

ALTER TABLE piece ADD COLUMN quality TEXT NOT NULL DEFAULT 'clear';
ALTER TABLE piece ADD COLUMN needed_by TEXT;                        -- day, null: no hurry

CREATE TABLE board_photo (
    id INTEGER PRIMARY KEY,
    board_id INTEGER NOT NULL REFERENCES board (id),
    hash TEXT NOT NULL,
    by_name TEXT NOT NULL,
    at TEXT NOT NULL
) STRICT;
CREATE INDEX board_photo_by_board ON board_photo (board_id);

-- A pin meter's readings of a board.
CREATE TABLE board_moisture (
    id INTEGER PRIMARY KEY,
    board_id INTEGER NOT NULL REFERENCES board (id),
    shown REAL NOT NULL,                                  -- % as the meter says
    wood_temperature REAL NOT NULL,                       -- °C
    moisture REAL NOT NULL,                               -- % corrected
    simulated INTEGER NOT NULL,
    by_name TEXT NOT NULL,
    at TEXT NOT NULL
) STRICT;
CREATE INDEX board_moisture_by_board ON board_moisture (board_id);

-- What was cut from a board. Face of the board = pieces + offcuts + waste.
CREATE TABLE board_cut (
    id INTEGER PRIMARY KEY,
    board_id INTEGER NOT NULL REFERENCES board (id),
    event_id INTEGER NOT NULL REFERENCES event (id),
    pieces TEXT NOT NULL,                                 -- JSON [{piece, length, width}]
    offcuts TEXT NOT NULL,                                -- JSON [board]
    piece_area REAL NOT NULL,                             -- mm²
    offcut_area REAL NOT NULL,
    waste_area REAL NOT NULL,
    undone INTEGER NOT NULL DEFAULT 0,
    by_name TEXT NOT NULL,
    at TEXT NOT NULL
) STRICT;
CREATE INDEX board_cut_by_board ON board_cut (board_id);

-- A plan for the saw, as it was worked out.
CREATE TABLE cut_plan (
    id INTEGER PRIMARY KEY,
    body TEXT NOT NULL,                                   -- JSON
    by_name TEXT NOT NULL,
    at TEXT NOT NULL
) STRICT;

-- The shed's logger, one row an hour.
CREATE TABLE shed_log (
    at TEXT PRIMARY KEY,
    temperature REAL NOT NULL,                            -- °C
    humidity REAL NOT NULL,                               -- %
    simulated INTEGER NOT NULL
) STRICT;

-- What merchants ask, by the m³; sheets by the piece.
CREATE TABLE price (
    id INTEGER PRIMARY KEY,
    merchant TEXT NOT NULL,
    species TEXT NOT NULL,
    thickness REAL NOT NULL,                              -- mm, rough
    width REAL NOT NULL,                                  -- widest, mm
    length REAL NOT NULL,                                 -- longest, mm
    per_cubic_metre REAL NOT NULL,
    simulated INTEGER NOT NULL,
    at TEXT NOT NULL
) STRICT;

-- Stores beside timber: fastenings, glues, compounds, coatings, abrasives.
CREATE TABLE store_item (
    id INTEGER PRIMARY KEY,
    kind TEXT NOT NULL,
    name TEXT NOT NULL UNIQUE COLLATE NOCASE,
    unit TEXT NOT NULL,                                   -- pieces, kg, l, m, cartridges …
    place TEXT NOT NULL,
    reorder_at REAL NOT NULL CHECK (reorder_at >= 0),
    version INTEGER NOT NULL DEFAULT 1
) STRICT;

CREATE TABLE store_lot (
    id INTEGER PRIMARY KEY,
    item_id INTEGER NOT NULL REFERENCES store_item (id),
    batch TEXT NOT NULL,
    opened_on TEXT,                                       -- day
    expires_on TEXT,                                      -- day
    price REAL,
    at TEXT NOT NULL
) STRICT;
CREATE INDEX store_lot_by_item ON store_lot (item_id);

-- Every movement: what is there is their sum, what is reserved likewise.
CREATE TABLE store_move (
    id INTEGER PRIMARY KEY,
    item_id INTEGER NOT NULL REFERENCES store_item (id),
    lot_id INTEGER REFERENCES store_lot (id),
    boat_id INTEGER REFERENCES boat (id),
    task_id INTEGER REFERENCES task (id),
    kind TEXT NOT NULL CHECK (kind IN ('in', 'used', 'reserved', 'released', 'counted')),
    amount REAL NOT NULL,
    note TEXT NOT NULL,
    by_name TEXT NOT NULL,
    at TEXT NOT NULL
) STRICT;
CREATE INDEX store_move_by_item ON store_move (item_id);
CREATE TRIGGER store_move_stays_update BEFORE UPDATE ON store_move BEGIN SELECT RAISE(ABORT, 'a movement is never changed'); END;
CREATE TRIGGER store_move_stays_delete BEFORE DELETE ON store_move BEGIN SELECT RAISE(ABORT, 'a movement is never deleted'); END;

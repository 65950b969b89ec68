-- Every seam with its own treatment and the steps done on it, a boat's school of seams, and her launch with what the pumps lift.

CREATE TABLE seam_ways (
    boat_id INTEGER PRIMARY KEY REFERENCES boat (id),
    school TEXT NOT NULL,
    stays_dry INTEGER NOT NULL,
    caulk_order TEXT NOT NULL
) STRICT;

CREATE TABLE seam (
    id INTEGER PRIMARY KEY,
    boat_id INTEGER NOT NULL REFERENCES boat (id),
    side TEXT NOT NULL CHECK (side IN ('port', 'starboard')),
    row INTEGER NOT NULL,                                 -- 0 between keel and garboard, s between strakes s and s + 1
    treatment TEXT NOT NULL,
    width REAL,                                           -- mm, null: as found, or the yard rule's
    cures_in REAL,                                        -- hours, null: not known yet
    removed INTEGER NOT NULL DEFAULT 0,                   -- its strake was taken off the grid
    version INTEGER NOT NULL DEFAULT 1
) STRICT;
CREATE UNIQUE INDEX seam_by_place ON seam (boat_id, side, row) WHERE removed = 0;

CREATE TABLE seam_step (
    id INTEGER PRIMARY KEY,
    seam_id INTEGER NOT NULL REFERENCES seam (id),
    kind TEXT NOT NULL,
    moisture REAL,                                        -- %
    temperature REAL,                                     -- °C
    note TEXT NOT NULL,
    photo TEXT,                                           -- hash
    undone INTEGER NOT NULL DEFAULT 0,
    by_name TEXT NOT NULL,
    at TEXT NOT NULL
) STRICT;
CREATE UNIQUE INDEX seam_step_once ON seam_step (seam_id, kind) WHERE undone = 0;

CREATE TABLE launch (
    boat_id INTEGER PRIMARY KEY REFERENCES boat (id),
    on_day TEXT NOT NULL,
    wet_days INTEGER NOT NULL,
    pumps REAL,                                           -- l/h of all pumps together
    version INTEGER NOT NULL DEFAULT 1
) STRICT;

CREATE TABLE launch_ready (
    boat_id INTEGER NOT NULL REFERENCES boat (id),
    what TEXT NOT NULL,
    by_name TEXT NOT NULL,
    at TEXT NOT NULL,
    PRIMARY KEY (boat_id, what)
) STRICT;

-- What the pumps lifted after the launch.
CREATE TABLE launch_log (
    id INTEGER PRIMARY KEY,
    boat_id INTEGER NOT NULL REFERENCES boat (id),
    hours REAL NOT NULL CHECK (hours >= 0),               -- since she floated
    litres REAL NOT NULL CHECK (litres >= 0),             -- in an hour
    note TEXT NOT NULL,
    by_name TEXT NOT NULL,
    at TEXT NOT NULL
) STRICT;
CREATE INDEX launch_log_by_boat ON launch_log (boat_id);

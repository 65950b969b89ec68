-- A region's kind of fastening with why, old holes as they were found, a piece of metal that wet wood joins to another, and what a
-- fastening in the stores is.

ALTER TABLE refasten ADD COLUMN kind TEXT NOT NULL DEFAULT 'screw';
ALTER TABLE refasten ADD COLUMN original TEXT NOT NULL DEFAULT '';  -- kind that was there; empty: driven nails, or not known
ALTER TABLE refasten ADD COLUMN inside INTEGER NOT NULL DEFAULT 0;  -- reached from inside
ALTER TABLE refasten ADD COLUMN in_lap INTEGER NOT NULL DEFAULT 0;  -- fastenings in the lap between two frames

-- Old holes as somebody found them at a crossing; the newest row of a crossing counts.
CREATE TABLE crossing_holes (
    id INTEGER PRIMARY KEY,
    boat_id INTEGER NOT NULL REFERENCES boat (id),
    side TEXT NOT NULL CHECK (side IN ('port', 'starboard')),
    strake INTEGER NOT NULL,
    frame INTEGER NOT NULL,
    holes TEXT NOT NULL,                                  -- JSON [{x, y, diameter}], mm: x aft of the frame's middle, y up from the plank's lower edge
    by_name TEXT NOT NULL,
    at TEXT NOT NULL
) STRICT;
CREATE INDEX crossing_holes_by_boat ON crossing_holes (boat_id);

ALTER TABLE metal_item ADD COLUMN joined_to INTEGER REFERENCES metal_item (id);

ALTER TABLE store_item ADD COLUMN metal TEXT;                       -- of a fastening: id of the table of metals
ALTER TABLE store_item ADD COLUMN form TEXT;                        -- 'screw', 'rivet', 'clench' or 'bolt'
ALTER TABLE store_item ADD COLUMN size REAL;                        -- gauge of a screw, mm of a nail or bolt
ALTER TABLE store_item ADD COLUMN length REAL;                      -- mm

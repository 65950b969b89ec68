-- The survey of the whole boat: members beside planks, readings as facts of their own, photos with marks, past
-- repairs, coverage, lines, samples, and surveys that can be compared.

-- What the boat is laid out from, beside her shell.
ALTER TABLE boat ADD COLUMN deck TEXT NOT NULL DEFAULT 'open';
ALTER TABLE boat ADD COLUMN numbering TEXT NOT NULL DEFAULT '{}';   -- JSON of the core's Numbering
ALTER TABLE boat ADD COLUMN offsets TEXT;                           -- JSON of the core's Offsets; null: none known
ALTER TABLE boat ADD COLUMN version INTEGER NOT NULL DEFAULT 1;     -- of her grid

-- Planks become one kind of member. The table is made anew, since the shell's columns no longer hold for all;
-- rows keep their ids, so what points at them still does.
PRAGMA defer_foreign_keys = ON;
CREATE TEMP TABLE old_plank AS SELECT * FROM plank;
CREATE TEMP TABLE old_finding AS SELECT * FROM finding;
DROP TABLE finding;
DROP TABLE plank;
CREATE TABLE plank (
    id INTEGER PRIMARY KEY,
    boat_id INTEGER NOT NULL REFERENCES boat (id),
    kind TEXT NOT NULL,                                   -- 'plank' is a strake from one joint to the next
    code TEXT,                                            -- its address begins with it; null for a plank
    name TEXT NOT NULL,                                   -- empty for a plank: it is named by where it lies
    side TEXT CHECK (side IN ('port', 'starboard')),      -- null on the centre line, or where it runs across
    number INTEGER NOT NULL,                              -- a plank's strake
    of_count INTEGER NOT NULL DEFAULT 1,                  -- how many of its kind lie on its side, for drawing
    cells INTEGER NOT NULL DEFAULT 0,                     -- parts it is looked at by; a plank has its bays
    from_bay INTEGER,                                     -- planks: bay of the fore joint; null at the stem
    to_bay INTEGER,                                       -- planks: bay of the after joint; null at the stern
    to_joint TEXT NOT NULL DEFAULT 'butt',                -- planks: kind of the after joint
    length REAL,                                          -- mm; null for a plank, whose grid tells
    width REAL,
    thickness REAL NOT NULL CHECK (thickness > 0),
    measured INTEGER NOT NULL DEFAULT 0,                  -- its sizes were measured, not generated
    species TEXT NOT NULL,
    grain TEXT,                                           -- null: not looked at
    year INTEGER,                                         -- null: original
    finish TEXT NOT NULL DEFAULT '',
    fastened TEXT NOT NULL DEFAULT '',                    -- kind and metal of its fastenings
    removed INTEGER NOT NULL DEFAULT 0,                   -- taken off the grid; its story stays
    version INTEGER NOT NULL DEFAULT 1
) STRICT;
-- The rows are put back before the table is renamed, so that those pointing at them are never left alone.
INSERT INTO plank (id, boat_id, kind, name, side, number, from_bay, to_bay, thickness, species, year)
    SELECT id, boat_id, 'plank', '', side, strake, from_bay, to_bay, thickness, species, year FROM old_plank;
ALTER TABLE plank RENAME TO member;
ALTER TABLE decision RENAME COLUMN plank_id TO member_id;
ALTER TABLE piece RENAME COLUMN plank_id TO member_id;
ALTER TABLE task RENAME COLUMN plank_id TO member_id;
ALTER TABLE plan RENAME COLUMN plank_id TO member_id;
ALTER TABLE event RENAME COLUMN plank_id TO member_id;
CREATE INDEX member_by_boat ON member (boat_id, kind, side, number);
CREATE UNIQUE INDEX member_code ON member (boat_id, code) WHERE code IS NOT NULL AND removed = 0;

-- Findings anywhere on the boat.
CREATE TABLE finding (
    id INTEGER PRIMARY KEY,
    uid TEXT NOT NULL DEFAULT (lower(hex(randomblob(8)))), -- the same in every file it is carried in
    boat_id INTEGER NOT NULL REFERENCES boat (id),
    member_id INTEGER NOT NULL REFERENCES member (id),
    place TEXT NOT NULL,                                  -- 'P7 F12', or a member's code and cell
    kind TEXT NOT NULL,
    method TEXT NOT NULL,                                 -- how it was first found
    shape TEXT NOT NULL,                                  -- JSON [[x, y]…] mm: from the datum frame or the cell's start, up from the lower edge
    depth REAL NOT NULL,
    grade TEXT NOT NULL,
    certainty TEXT NOT NULL,
    cause TEXT NOT NULL,
    cause_treated TEXT,                                   -- how; null: not treated
    note TEXT NOT NULL,
    outcome TEXT NOT NULL DEFAULT 'open' CHECK (outcome IN ('open', 'mended', 'gone')),
    withdrawn INTEGER NOT NULL DEFAULT 0,                 -- entered by mistake
    version INTEGER NOT NULL DEFAULT 1,
    by_name TEXT NOT NULL,
    at TEXT NOT NULL
) STRICT;
INSERT INTO finding (id, boat_id, member_id, place, kind, method, shape, depth, grade, certainty, cause, note, withdrawn, version, by_name, at)
    SELECT id, boat_id, plank_id, upper(substr(side, 1, 1)) || strake || ' F' || frame, kind, method, shape, depth, grade,
           certainty, cause, note, withdrawn, version, by_name, at FROM old_finding;
CREATE INDEX finding_by_boat ON finding (boat_id);
CREATE UNIQUE INDEX finding_uid ON finding (boat_id, uid);
CREATE INDEX finding_by_member ON finding (member_id);

-- A reading is a fact: it is never changed, only withdrawn. A finding may rest on several.
CREATE TABLE reading (
    id INTEGER PRIMARY KEY,
    uid TEXT NOT NULL DEFAULT (lower(hex(randomblob(8)))),
    boat_id INTEGER NOT NULL REFERENCES boat (id),
    member_id INTEGER NOT NULL REFERENCES member (id),
    finding_id INTEGER REFERENCES finding (id),
    place TEXT NOT NULL,
    x REAL,                                               -- mm, as a finding's shape; null: the cell as a whole
    y REAL,
    method TEXT NOT NULL,
    measure TEXT NOT NULL,                                -- JSON of the core's Measure
    value REAL,                                           -- the figure to follow, as the core gave it
    unit TEXT NOT NULL DEFAULT '',
    grade TEXT,                                           -- what the reading alone would give
    says TEXT NOT NULL,
    simulated INTEGER NOT NULL DEFAULT 0,
    sampled INTEGER NOT NULL DEFAULT 0,                   -- a fastening of the random draw
    withdrawn INTEGER NOT NULL DEFAULT 0,
    by_name TEXT NOT NULL,
    at TEXT NOT NULL
) STRICT;
CREATE INDEX reading_by_boat ON reading (boat_id);
CREATE UNIQUE INDEX reading_uid ON reading (boat_id, uid);
CREATE INDEX reading_by_finding ON reading (finding_id);
INSERT INTO reading (boat_id, member_id, finding_id, place, x, y, method, measure, value, unit, grade, says, withdrawn, by_name, at)
    SELECT boat_id, plank_id, id, upper(substr(side, 1, 1)) || strake || ' F' || frame,
           json_extract(shape, '$[0][0]'), json_extract(shape, '$[0][1]'), method,
           CASE method
               WHEN 'sound' THEN json_object('method', method, 'ring', json_extract(reading, '$.ring'))
               WHEN 'spike' THEN json_object('method', method, 'depth', json_extract(reading, '$.spike'))
               WHEN 'meter' THEN json_object('method', method, 'shown', json_extract(reading, '$.meter'),
                                             'wood_temperature', json_extract(reading, '$.wood_temperature'))
               ELSE json_object('method', method, 'kind', 'boat_nail', 'metal', 'galvanised', 'wood', 'sound',
                                'original', json_extract(reading, '$.original_diameter'),
                                'remaining', json_extract(reading, '$.remaining_diameter'))
           END,
           CASE method
               WHEN 'spike' THEN json_extract(reading, '$.spike')
               WHEN 'meter' THEN json_extract(reading, '$.moisture')
               WHEN 'draw_fastening' THEN 100 * (1 - json_extract(reading, '$.remaining_diameter') * json_extract(reading, '$.remaining_diameter')
                    / (1.0 * json_extract(reading, '$.original_diameter') * json_extract(reading, '$.original_diameter')))
           END,
           CASE method WHEN 'spike' THEN 'mm' WHEN 'meter' THEN '%' WHEN 'draw_fastening' THEN '%' ELSE '' END,
           NULL, coalesce(json_extract(reading, '$.says'), ''), withdrawn, by_name, at
    FROM old_finding
    WHERE (method = 'sound' AND json_extract(reading, '$.ring') IS NOT NULL)
       OR (method = 'spike' AND json_extract(reading, '$.spike') IS NOT NULL)
       OR (method = 'meter' AND json_extract(reading, '$.meter') IS NOT NULL AND json_extract(reading, '$.wood_temperature') IS NOT NULL)
       OR (method = 'draw_fastening' AND json_extract(reading, '$.original_diameter') > 0 AND json_extract(reading, '$.remaining_diameter') IS NOT NULL);

-- Photos; marks are kept beside the picture, never in it.
CREATE TABLE photo (
    id INTEGER PRIMARY KEY,
    boat_id INTEGER NOT NULL REFERENCES boat (id),
    finding_id INTEGER NOT NULL REFERENCES finding (id),
    hash TEXT NOT NULL,
    marks TEXT NOT NULL DEFAULT '[]',                     -- JSON [{"kind":"arrow"|"circle","from":[u,v],"to":[u,v]}…], 0 … 1 of the picture
    version INTEGER NOT NULL DEFAULT 1,
    by_name TEXT NOT NULL,
    at TEXT NOT NULL
) STRICT;
CREATE INDEX photo_by_finding ON photo (finding_id);
CREATE INDEX photo_by_hash ON photo (hash);
INSERT INTO photo (boat_id, finding_id, hash, by_name, at)
    SELECT boat_id, id, photo, by_name, at FROM old_finding WHERE photo IS NOT NULL;

DROP TABLE old_plank;
DROP TABLE old_finding;

-- Looked over: what was inspected by which method, also where nothing was found.
CREATE TABLE looked (
    id INTEGER PRIMARY KEY,
    boat_id INTEGER NOT NULL REFERENCES boat (id),
    member_id INTEGER NOT NULL REFERENCES member (id),
    from_cell INTEGER NOT NULL,
    to_cell INTEGER NOT NULL CHECK (to_cell >= from_cell),
    method TEXT NOT NULL,
    by_name TEXT NOT NULL,
    at TEXT NOT NULL
) STRICT;
CREATE INDEX looked_by_boat ON looked (boat_id);

CREATE TABLE past_repair (
    id INTEGER PRIMARY KEY,
    boat_id INTEGER NOT NULL REFERENCES boat (id),
    member_id INTEGER NOT NULL REFERENCES member (id),
    from_cell INTEGER NOT NULL,
    to_cell INTEGER NOT NULL CHECK (to_cell >= from_cell),
    kind TEXT NOT NULL,
    quality TEXT NOT NULL,
    material TEXT NOT NULL,
    year INTEGER,                                         -- null: not known
    hides TEXT NOT NULL,
    note TEXT NOT NULL,
    withdrawn INTEGER NOT NULL DEFAULT 0,
    by_name TEXT NOT NULL,
    at TEXT NOT NULL
) STRICT;
CREATE INDEX past_repair_by_boat ON past_repair (boat_id);

-- What came off the boat and is kept; timber goes to the rack as boards.
CREATE TABLE fitting (
    id INTEGER PRIMARY KEY,
    boat_id INTEGER NOT NULL REFERENCES boat (id),
    member_id INTEGER REFERENCES member (id),
    place TEXT NOT NULL,                                  -- where it came from
    name TEXT NOT NULL,
    count INTEGER NOT NULL CHECK (count > 0),
    metal TEXT NOT NULL,                                  -- empty: not metal, or not known
    kept_at TEXT NOT NULL,
    note TEXT NOT NULL,
    by_name TEXT NOT NULL,
    at TEXT NOT NULL
) STRICT;
CREATE INDEX fitting_by_boat ON fitting (boat_id);

-- A line read with a string or a level, or as designed. Points [[x, z]…] mm.
CREATE TABLE line (
    id INTEGER PRIMARY KEY,
    boat_id INTEGER NOT NULL REFERENCES boat (id),
    what TEXT NOT NULL CHECK (what IN ('keel', 'sheer')),
    side TEXT CHECK (side IN ('port', 'starboard')),      -- null for the keel
    designed INTEGER NOT NULL DEFAULT 0,
    points TEXT NOT NULL,
    note TEXT NOT NULL,
    by_name TEXT NOT NULL,
    at TEXT NOT NULL
) STRICT;
CREATE INDEX line_by_boat ON line (boat_id);

-- Fastenings picked at random to be drawn, with the seed they were picked by.
CREATE TABLE sample_pick (
    id INTEGER PRIMARY KEY,
    boat_id INTEGER NOT NULL REFERENCES boat (id),
    height TEXT NOT NULL,
    part TEXT NOT NULL,
    place TEXT NOT NULL,
    nth INTEGER NOT NULL,
    seed INTEGER NOT NULL,
    reading_id INTEGER REFERENCES reading (id),           -- null: still to be drawn
    by_name TEXT NOT NULL,
    at TEXT NOT NULL
) STRICT;
CREATE UNIQUE INDEX sample_pick_once ON sample_pick (boat_id, place, nth);

-- A survey closed: what stood then, to be compared with later ones.
CREATE TABLE survey (
    id INTEGER PRIMARY KEY,
    boat_id INTEGER NOT NULL REFERENCES boat (id),
    name TEXT NOT NULL,
    entries TEXT NOT NULL,                                -- JSON of the core's survey::compare::Entry
    coverage TEXT NOT NULL,                               -- JSON
    by_name TEXT NOT NULL,
    at TEXT NOT NULL
) STRICT;
CREATE INDEX survey_by_boat ON survey (boat_id);

-- The yard's corrections of a pin meter, percentage points; a species that is not here has none.
CREATE TABLE meter_offset (
    species TEXT PRIMARY KEY,
    points REAL NOT NULL
) STRICT;

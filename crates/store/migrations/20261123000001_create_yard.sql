-- The yard and its people.
CREATE TABLE yard (
    id INTEGER PRIMARY KEY CHECK (id = 1),
    name TEXT NOT NULL,
    unit TEXT NOT NULL CHECK (unit IN ('mm', 'in')),      -- what a bare number means
    inch_denominator INTEGER NOT NULL CHECK (inch_denominator IN (16, 32))
) STRICT;

CREATE TABLE account (
    id INTEGER PRIMARY KEY,
    login TEXT NOT NULL UNIQUE COLLATE NOCASE,
    name TEXT NOT NULL,
    role TEXT NOT NULL CHECK (role IN ('owner', 'shipwright', 'guest')),
    guest_boat INTEGER REFERENCES boat (id),              -- the one boat a guest may read
    password_hash TEXT NOT NULL,                          -- argon2, PHC string
    created_at TEXT NOT NULL
) STRICT;

CREATE TABLE session (
    token_hash TEXT PRIMARY KEY,                          -- sha-256 of the cookie's token
    account_id INTEGER NOT NULL REFERENCES account (id) ON DELETE CASCADE,
    csrf TEXT NOT NULL,
    expires_at TEXT NOT NULL
) STRICT;

-- A form's one-time key: the second time it arrives, its answer is where the first one led.
CREATE TABLE once_key (
    key TEXT PRIMARY KEY,
    location TEXT NOT NULL,
    at TEXT NOT NULL
) STRICT;

-- A boat and its grid. Lengths in mm.
CREATE TABLE boat (
    id INTEGER PRIMARY KEY,
    name TEXT NOT NULL,
    construction TEXT NOT NULL,
    boat_use TEXT NOT NULL,
    school TEXT NOT NULL,
    year INTEGER,
    length REAL NOT NULL CHECK (length > 0),
    beam REAL NOT NULL CHECK (beam > 0),
    depth REAL NOT NULL CHECK (depth > 0),
    plank_thickness REAL NOT NULL CHECK (plank_thickness > 0),
    plank_species TEXT NOT NULL,
    frame_species TEXT NOT NULL,
    frame_sided REAL NOT NULL CHECK (frame_sided > 0),    -- along the boat
    frame_moulded REAL NOT NULL CHECK (frame_moulded > 0),
    waterline_strake INTEGER NOT NULL,                    -- strakes up to this one are below the waterline
    shell TEXT NOT NULL,                                  -- JSON of the core's Shell
    created_at TEXT NOT NULL
) STRICT;

-- A strake from one joint to the next. A joint is where two planks of a strake meet.
CREATE TABLE plank (
    id INTEGER PRIMARY KEY,
    boat_id INTEGER NOT NULL REFERENCES boat (id),
    side TEXT NOT NULL CHECK (side IN ('port', 'starboard')),
    strake INTEGER NOT NULL,
    from_bay INTEGER,                                     -- bay of the fore joint; null at the stem
    to_bay INTEGER,                                       -- bay of the after joint; null at the stern
    thickness REAL NOT NULL CHECK (thickness > 0),
    species TEXT NOT NULL,
    year INTEGER                                          -- null: original
) STRICT;
CREATE INDEX plank_by_boat ON plank (boat_id, side, strake);

CREATE TABLE finding (
    id INTEGER PRIMARY KEY,
    boat_id INTEGER NOT NULL REFERENCES boat (id),
    plank_id INTEGER NOT NULL REFERENCES plank (id),
    side TEXT NOT NULL,
    strake INTEGER NOT NULL,
    frame INTEGER NOT NULL,                               -- datum: shapes are measured aft of this frame
    kind TEXT NOT NULL,
    method TEXT NOT NULL,
    reading TEXT NOT NULL,                                -- JSON, by method
    shape TEXT NOT NULL,                                  -- JSON [[x, y]…] mm: aft of the datum frame, up from the lower edge
    depth REAL NOT NULL,
    grade TEXT NOT NULL,
    certainty TEXT NOT NULL,
    cause TEXT NOT NULL,
    note TEXT NOT NULL,
    photo TEXT,                                           -- content hash
    withdrawn INTEGER NOT NULL DEFAULT 0,
    version INTEGER NOT NULL DEFAULT 1,
    by_name TEXT NOT NULL,
    at TEXT NOT NULL
) STRICT;
CREATE INDEX finding_by_boat ON finding (boat_id);
CREATE INDEX finding_by_plank ON finding (plank_id);

CREATE TABLE decision (
    id INTEGER PRIMARY KEY,
    boat_id INTEGER NOT NULL REFERENCES boat (id),
    plank_id INTEGER NOT NULL REFERENCES plank (id),
    kind TEXT NOT NULL,
    reason TEXT NOT NULL,
    kept REAL NOT NULL,
    strength REAL NOT NULL,
    p50 REAL NOT NULL,                                    -- hours
    p80 REAL NOT NULL,
    body TEXT NOT NULL,                                   -- JSON: the rules as they stood
    superseded INTEGER NOT NULL DEFAULT 0,
    by_name TEXT NOT NULL,
    at TEXT NOT NULL
) STRICT;
CREATE UNIQUE INDEX decision_in_force ON decision (plank_id) WHERE superseded = 0;

-- The rack. Nothing vanishes: a cut board stays, and its offcuts name it as parent.
CREATE TABLE board (
    id INTEGER PRIMARY KEY,
    tag TEXT NOT NULL UNIQUE COLLATE NOCASE,
    species TEXT NOT NULL,
    length REAL NOT NULL CHECK (length > 0),
    width REAL NOT NULL CHECK (width > 0),
    thickness REAL NOT NULL CHECK (thickness > 0),
    grain TEXT NOT NULL,
    drying TEXT NOT NULL,
    moisture REAL,
    origin TEXT NOT NULL,
    origin_note TEXT NOT NULL,
    place TEXT NOT NULL,
    state TEXT NOT NULL CHECK (state IN ('free', 'reserved', 'cut')),
    parent_id INTEGER REFERENCES board (id),
    waste_area REAL,                                      -- mm² of face, once cut
    at TEXT NOT NULL
) STRICT;

-- A piece of new wood that a decision asks for. Lengths mm.
CREATE TABLE piece (
    id INTEGER PRIMARY KEY,
    boat_id INTEGER NOT NULL REFERENCES boat (id),
    plank_id INTEGER NOT NULL REFERENCES plank (id),
    decision_id INTEGER NOT NULL REFERENCES decision (id),
    name TEXT NOT NULL,
    geometry TEXT NOT NULL,                               -- JSON
    length REAL NOT NULL,
    width REAL NOT NULL,
    thickness REAL NOT NULL,
    species TEXT NOT NULL,
    state TEXT NOT NULL CHECK (state IN ('planned', 'reserved', 'cut', 'dropped')),
    board_id INTEGER REFERENCES board (id)
) STRICT;
CREATE INDEX piece_by_boat ON piece (boat_id);

CREATE TABLE task (
    id INTEGER PRIMARY KEY,
    boat_id INTEGER NOT NULL REFERENCES boat (id),
    plank_id INTEGER NOT NULL REFERENCES plank (id),
    decision_id INTEGER NOT NULL REFERENCES decision (id),
    seq INTEGER NOT NULL,
    operation TEXT NOT NULL,
    what TEXT NOT NULL,
    amount REAL NOT NULL,
    p50 REAL NOT NULL,
    p80 REAL NOT NULL,
    wait_after REAL NOT NULL,                             -- hours nothing may follow: cure, drying
    cautions TEXT NOT NULL,                               -- JSON list of texts
    done_at TEXT,
    dropped INTEGER NOT NULL DEFAULT 0
) STRICT;
CREATE INDEX task_by_boat ON task (boat_id);

CREATE TABLE clock (
    id INTEGER PRIMARY KEY,
    task_id INTEGER NOT NULL REFERENCES task (id),
    account_id INTEGER NOT NULL REFERENCES account (id),
    started_at TEXT NOT NULL,
    stopped_at TEXT,
    minutes REAL                                          -- set when it stops
) STRICT;
-- One running clock a person.
CREATE UNIQUE INDEX clock_running ON clock (account_id) WHERE stopped_at IS NULL;

-- Fastening, seam and finish plans: what was asked and what the core answered.
CREATE TABLE plan (
    id INTEGER PRIMARY KEY,
    boat_id INTEGER NOT NULL REFERENCES boat (id),
    plank_id INTEGER REFERENCES plank (id),
    piece_id INTEGER REFERENCES piece (id),
    kind TEXT NOT NULL CHECK (kind IN ('fasten', 'seam', 'finish')),
    asked TEXT NOT NULL,                                  -- JSON
    answer TEXT NOT NULL,                                 -- JSON
    by_name TEXT NOT NULL,
    at TEXT NOT NULL
) STRICT;
CREATE INDEX plan_by_boat ON plan (boat_id, kind);

CREATE TABLE coat (
    id INTEGER PRIMARY KEY,
    plan_id INTEGER NOT NULL REFERENCES plan (id),
    boat_id INTEGER NOT NULL REFERENCES boat (id),
    seq INTEGER NOT NULL,
    name TEXT NOT NULL,
    litres REAL NOT NULL,
    earliest_at TEXT NOT NULL,
    latest_at TEXT,                                       -- later than this: sand first
    done_at TEXT
) STRICT;

-- The history: append-only, each entry carrying the hash of the one before it.
CREATE TABLE event (
    id INTEGER PRIMARY KEY,
    boat_id INTEGER REFERENCES boat (id),
    plank_id INTEGER REFERENCES plank (id),
    at TEXT NOT NULL,
    by_name TEXT NOT NULL,
    kind TEXT NOT NULL,
    summary TEXT NOT NULL,
    body TEXT NOT NULL,                                   -- JSON
    corrects INTEGER REFERENCES event (id),
    prev_hash TEXT NOT NULL,
    hash TEXT NOT NULL
) STRICT;
CREATE INDEX event_by_boat ON event (boat_id);
CREATE INDEX event_by_plank ON event (plank_id);
CREATE TRIGGER event_is_never_changed BEFORE UPDATE ON event BEGIN SELECT RAISE(ABORT, 'the history is append-only'); END;
CREATE TRIGGER event_is_never_removed BEFORE DELETE ON event BEGIN SELECT RAISE(ABORT, 'the history is append-only'); END;

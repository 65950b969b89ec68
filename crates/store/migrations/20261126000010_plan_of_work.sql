-- When and with what the yard works.
CREATE TABLE yard_work (
    id INTEGER PRIMARY KEY CHECK (id = 1),
    days TEXT NOT NULL,                                   -- Monday first: 1111100
    from_hour INTEGER NOT NULL,
    to_hour INTEGER NOT NULL,
    people INTEGER NOT NULL,
    clamps INTEGER NOT NULL,
    steam_boxes INTEGER NOT NULL,
    version INTEGER NOT NULL DEFAULT 1
) STRICT;
CREATE TABLE closed_day (
    day TEXT PRIMARY KEY,                                 -- 2026-12-24
    why TEXT NOT NULL
) STRICT;

-- What is to be done beside the repairs: bought, fetched, a visit, a crane.
CREATE TABLE errand (
    id INTEGER PRIMARY KEY,
    boat_id INTEGER REFERENCES boat,
    kind TEXT NOT NULL,
    what TEXT NOT NULL,
    hours REAL NOT NULL,
    people INTEGER NOT NULL,
    at TEXT,                                              -- 2026-12-01T10:00, the yard's own time: it must begin then
    not_before TEXT,                                      -- 2026-12-01
    done_at TEXT,
    by_name TEXT NOT NULL,
    entered TEXT NOT NULL,
    withdrawn INTEGER NOT NULL DEFAULT 0
) STRICT;

-- A task that is not begun before a day.
CREATE TABLE task_day (
    task_id INTEGER PRIMARY KEY REFERENCES task,
    day TEXT NOT NULL
) STRICT;

-- Plans as they were kept, the last one in force.
CREATE TABLE work_plan (
    id INTEGER PRIMARY KEY,
    body TEXT NOT NULL,
    by_name TEXT NOT NULL,
    at TEXT NOT NULL
) STRICT;

-- What hours were for: work, rework (what went wrong is in the note), or waiting.
ALTER TABLE clock ADD COLUMN kind TEXT NOT NULL DEFAULT 'work';
ALTER TABLE clock ADD COLUMN why TEXT NOT NULL DEFAULT '';

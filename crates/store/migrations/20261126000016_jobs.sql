-- Whole jobs beside the repair of a part: a deck, a spar, rings, an edge, a template, a fitting under load, other work.
CREATE TABLE job (
    id INTEGER PRIMARY KEY,
    boat_id INTEGER NOT NULL REFERENCES boat (id),
    member_id INTEGER REFERENCES member (id),
    kind TEXT NOT NULL,
    name TEXT NOT NULL,
    spec TEXT NOT NULL,                                   -- JSON: what was asked, lengths in mm
    note TEXT NOT NULL DEFAULT '',
    photo TEXT,                                           -- by the hash of its content
    version INTEGER NOT NULL DEFAULT 1,
    withdrawn INTEGER NOT NULL DEFAULT 0,
    by_name TEXT NOT NULL,
    at TEXT NOT NULL
) STRICT;
CREATE INDEX job_by_boat ON job (boat_id);

-- A task is one of a decision on a part, or one of a whole job; a job need not be of one part.
ALTER TABLE task ADD COLUMN job_id INTEGER REFERENCES job (id) CHECK ((job_id IS NULL) <> (decision_id IS NULL));
-- SQLite has no other way to let a column be empty but to make the table anew, which what points at it forbids.
PRAGMA writable_schema = ON;
UPDATE sqlite_schema SET sql = replace(replace(replace(sql,
    'decision_id INTEGER NOT NULL', 'decision_id INTEGER'),
    'member_id INTEGER NOT NULL', 'member_id INTEGER'),
    '"member_id" INTEGER NOT NULL', '"member_id" INTEGER')
    WHERE type = 'table' AND name = 'task';
PRAGMA writable_schema = RESET;
CREATE INDEX task_by_job ON task (job_id);

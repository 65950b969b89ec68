-- Sample boards of a seam: what was laid, how it came out, whether it goes on the boat.

CREATE TABLE sample_board (
    id INTEGER PRIMARY KEY,
    boat_id INTEGER NOT NULL REFERENCES boat (id),
    laid_on TEXT NOT NULL,                                -- day
    compound TEXT NOT NULL,
    primer TEXT NOT NULL,
    colour TEXT NOT NULL,
    seam_width REAL NOT NULL CHECK (seam_width > 0),      -- mm
    cured_after REAL,                                     -- days until it did not take a thumb's print
    hold TEXT NOT NULL CHECK (hold IN ('waits', 'held', 'tore', 'let_go', 'soft')),
    good INTEGER,                                         -- 1 goes on the boat, 0 does not, NULL not judged
    note TEXT NOT NULL,
    photo TEXT,                                           -- hash
    withdrawn INTEGER NOT NULL DEFAULT 0,
    by_name TEXT NOT NULL,
    at TEXT NOT NULL
) STRICT;
CREATE INDEX sample_board_by_boat ON sample_board (boat_id);

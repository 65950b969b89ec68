-- What was ticked on the card by which a piece is hung. A step may be told more than once: nothing of it is lost.
CREATE TABLE hung (
    id INTEGER PRIMARY KEY,
    boat_id INTEGER NOT NULL REFERENCES boat (id),
    piece_id INTEGER NOT NULL REFERENCES piece (id),
    step TEXT NOT NULL,                                   -- code of the card's step
    note TEXT NOT NULL,
    photo TEXT,                                           -- hash
    against TEXT NOT NULL,                                -- why before its turn, or against a reason
    withdrawn INTEGER NOT NULL DEFAULT 0,                 -- ticked by mistake
    by_name TEXT NOT NULL,
    at TEXT NOT NULL                                      -- when it was done
) STRICT;
CREATE INDEX hung_by_piece ON hung (piece_id);
CREATE INDEX hung_by_boat ON hung (boat_id);

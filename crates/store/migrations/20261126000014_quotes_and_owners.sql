-- How the yard charges: JSON of the core's Terms.
CREATE TABLE terms (
    id INTEGER PRIMARY KEY CHECK (id = 1),
    body TEXT NOT NULL,
    version INTEGER NOT NULL DEFAULT 1
) STRICT;

-- Quotes as they were given out; none is ever changed.
CREATE TABLE quote (
    id INTEGER PRIMARY KEY,
    boat_id INTEGER NOT NULL REFERENCES boat,
    number INTEGER NOT NULL,
    body TEXT NOT NULL,                                   -- JSON of the core's Quote
    by_name TEXT NOT NULL,
    at TEXT NOT NULL,
    UNIQUE (boat_id, number)
) STRICT;
CREATE TRIGGER quote_is_never_changed BEFORE UPDATE ON quote BEGIN SELECT RAISE(ABORT, 'a quote is never changed'); END;

-- What the owner said to a part of a quote; the last word counts.
CREATE TABLE quote_word (
    id INTEGER PRIMARY KEY,
    boat_id INTEGER NOT NULL REFERENCES boat,
    quote_id INTEGER NOT NULL REFERENCES quote,
    decision_id INTEGER NOT NULL REFERENCES decision,
    word TEXT NOT NULL CHECK (word IN ('authorised', 'refused', 'postponed')),
    name TEXT NOT NULL,                                   -- who said it
    why TEXT NOT NULL,
    by_name TEXT NOT NULL,                                -- who entered it
    at TEXT NOT NULL
) STRICT;
CREATE INDEX quote_word_by_boat ON quote_word (boat_id);

-- Addresses with a long secret, each for one boat.
CREATE TABLE owner_link (
    id INTEGER PRIMARY KEY,
    boat_id INTEGER NOT NULL REFERENCES boat,
    token_hash TEXT NOT NULL UNIQUE,                      -- sha-256 of the secret
    name TEXT NOT NULL,                                   -- whom it was given to
    expires_at TEXT NOT NULL,
    withdrawn INTEGER NOT NULL DEFAULT 0,
    by_name TEXT NOT NULL,
    at TEXT NOT NULL
) STRICT;

-- What an owner wishes or says.
CREATE TABLE owner_note (
    id INTEGER PRIMARY KEY,
    boat_id INTEGER NOT NULL REFERENCES boat,
    member_id INTEGER REFERENCES member,                  -- null: the boat as a whole
    kind TEXT NOT NULL CHECK (kind IN ('wish', 'comment')),
    words TEXT NOT NULL,
    by_name TEXT NOT NULL,
    at TEXT NOT NULL,
    seen INTEGER NOT NULL DEFAULT 0                       -- by the yard
) STRICT;
CREATE INDEX owner_note_by_boat ON owner_note (boat_id);

-- Invitations by an address with a secret, used once.
CREATE TABLE invite (
    id INTEGER PRIMARY KEY,
    token_hash TEXT NOT NULL UNIQUE,                      -- sha-256 of the secret
    name TEXT NOT NULL,                                   -- whom it was given to
    role TEXT NOT NULL CHECK (role IN ('owner', 'shipwright', 'guest')),
    guest_boat INTEGER REFERENCES boat,
    expires_at TEXT NOT NULL,
    used INTEGER NOT NULL DEFAULT 0,
    withdrawn INTEGER NOT NULL DEFAULT 0,
    by_name TEXT NOT NULL,
    at TEXT NOT NULL
) STRICT;

-- Where somebody is signed in, for the page that lists and ends it.
ALTER TABLE session ADD COLUMN begun_at TEXT NOT NULL DEFAULT '';
ALTER TABLE session ADD COLUMN device TEXT NOT NULL DEFAULT '';

-- Who came in, and who tried and did not; the oldest go.
CREATE TABLE sign_in (
    id INTEGER PRIMARY KEY,
    login TEXT NOT NULL,
    came_in INTEGER NOT NULL,
    device TEXT NOT NULL,
    at TEXT NOT NULL
) STRICT;

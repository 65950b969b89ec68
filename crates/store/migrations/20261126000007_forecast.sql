-- The weather as it is foretold, hour by hour; a new forecast takes the place of the one before.
CREATE TABLE forecast (
    at TEXT PRIMARY KEY,                                  -- start of the hour, UTC
    temperature REAL NOT NULL,                            -- °C
    humidity REAL NOT NULL,                               -- %
    rain REAL NOT NULL,                                   -- mm
    wind REAL NOT NULL,                                   -- m/s
    simulated INTEGER NOT NULL DEFAULT 0
) STRICT;

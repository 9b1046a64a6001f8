-- Mounts of a setup, and which of them holds a fixture.
CREATE TABLE mounts (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    setup_id INTEGER NOT NULL REFERENCES setups (id),
    name TEXT NOT NULL,
    type TEXT NOT NULL,
    x REAL NOT NULL, y REAL NOT NULL, length REAL NOT NULL, width REAL NOT NULL,
    height REAL NOT NULL, thick REAL NOT NULL,
    low REAL NOT NULL, high REAL NOT NULL,
    load REAL NOT NULL, most INTEGER NOT NULL,
    lift REAL NOT NULL, swing REAL NOT NULL, hinge TEXT NOT NULL, clamp REAL NOT NULL
) STRICT;
CREATE INDEX mounts_setup ON mounts (setup_id);
ALTER TABLE fixtures ADD COLUMN held_by TEXT NOT NULL DEFAULT '';
ALTER TABLE own_fixtures ADD COLUMN held_by TEXT NOT NULL DEFAULT '';
ALTER TABLE survey_fixtures ADD COLUMN held_by TEXT NOT NULL DEFAULT '';

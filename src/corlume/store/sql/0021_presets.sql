-- The keeper's own presets of colour.
CREATE TABLE presets (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    tank_id INTEGER NOT NULL REFERENCES tanks (id),
    name TEXT NOT NULL,
    spectrum TEXT NOT NULL,
    channels TEXT NOT NULL,
    levels TEXT NOT NULL,
    output REAL NOT NULL
) STRICT;
CREATE INDEX presets_tank ON presets (tank_id);

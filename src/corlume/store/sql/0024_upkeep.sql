-- Lamps, the rhythm of cleaning, cleanings, and hours that fixtures are on.
CREATE TABLE lamps (
    id INTEGER PRIMARY KEY,
    tank_id INTEGER NOT NULL REFERENCES tanks (id),
    fixture TEXT NOT NULL,
    label TEXT NOT NULL,
    installed TEXT NOT NULL,
    taken_out TEXT,
    used REAL NOT NULL DEFAULT 0,
    life_hours REAL,
    life_months REAL,
    light_left REAL NOT NULL DEFAULT 0.85,
    light_halfway REAL,
    counted_from TEXT,
    lead_days INTEGER NOT NULL DEFAULT 14,
    note TEXT NOT NULL DEFAULT ''
) STRICT;
CREATE INDEX lamps_of_tank ON lamps (tank_id);
CREATE TABLE cleaning_rhythms (
    id INTEGER PRIMARY KEY,
    tank_id INTEGER NOT NULL REFERENCES tanks (id),
    part TEXT NOT NULL,
    since TEXT NOT NULL,
    every INTEGER NOT NULL DEFAULT 30,
    loss REAL NOT NULL DEFAULT 0.04,
    fixture TEXT NOT NULL DEFAULT ''
) STRICT;
CREATE INDEX cleaning_rhythms_of_tank ON cleaning_rhythms (tank_id);
CREATE TABLE cleanings (
    id INTEGER PRIMARY KEY,
    tank_id INTEGER NOT NULL REFERENCES tanks (id),
    day TEXT NOT NULL,
    part TEXT NOT NULL,
    fixture TEXT NOT NULL DEFAULT '',
    cleaner TEXT NOT NULL DEFAULT '',
    par_before REAL,
    par_after REAL,
    note TEXT NOT NULL DEFAULT ''
) STRICT;
CREATE INDEX cleanings_of_tank ON cleanings (tank_id);
CREATE TABLE burning_hours (
    id INTEGER PRIMARY KEY,
    tank_id INTEGER NOT NULL REFERENCES tanks (id),
    fixture TEXT NOT NULL,
    day TEXT NOT NULL,
    hours REAL NOT NULL
) STRICT;
CREATE INDEX burning_hours_of_tank ON burning_hours (tank_id);
CREATE TABLE spares (
    id INTEGER PRIMARY KEY,
    tank_id INTEGER NOT NULL REFERENCES tanks (id),
    name TEXT NOT NULL,
    count INTEGER NOT NULL DEFAULT 1
) STRICT;
CREATE INDEX spares_of_tank ON spares (tank_id);
-- The log of a tank.
CREATE TABLE events (
    id INTEGER PRIMARY KEY,
    tank_id INTEGER NOT NULL REFERENCES tanks (id),
    kind TEXT NOT NULL,
    day TEXT NOT NULL,
    time TEXT,
    words TEXT NOT NULL DEFAULT '',
    fixture TEXT NOT NULL DEFAULT '',
    setup_name TEXT NOT NULL DEFAULT '',
    lit TEXT NOT NULL DEFAULT '',
    picture TEXT NOT NULL DEFAULT '',
    state TEXT NOT NULL DEFAULT ''
) STRICT;
CREATE INDEX events_of_tank ON events (tank_id, day);

-- Lengths in metres, angles in radians, shares 0..1, PAR in umol/m2/s.

CREATE TABLE tanks (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    removed INTEGER NOT NULL DEFAULT 0 CHECK (removed IN (0, 1)),
    name TEXT NOT NULL,
    length REAL NOT NULL CHECK (length > 0),
    width REAL NOT NULL CHECK (width > 0),
    water_depth REAL NOT NULL CHECK (water_depth > 0),
    rim_height REAL NOT NULL,
    rim_inset REAL NOT NULL,
    room_height REAL NOT NULL,
    sand REAL NOT NULL,
    sand_flow TEXT NOT NULL,
    attenuation REAL NOT NULL,
    refractive_index REAL NOT NULL,
    left_kind TEXT NOT NULL, left_factor REAL NOT NULL,
    right_kind TEXT NOT NULL, right_factor REAL NOT NULL,
    front_kind TEXT NOT NULL, front_factor REAL NOT NULL,
    back_kind TEXT NOT NULL, back_factor REAL NOT NULL,
    lps_low REAL NOT NULL, lps_high REAL NOT NULL,
    sps_low REAL NOT NULL, sps_high REAL NOT NULL,
    ceiling REAL NOT NULL,
    goal TEXT NOT NULL,
    school TEXT NOT NULL,
    hours REAL NOT NULL,
    price REAL NOT NULL,
    currency TEXT NOT NULL
) STRICT;

CREATE TABLE braces (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    tank_id INTEGER NOT NULL REFERENCES tanks (id),
    x0 REAL NOT NULL, x1 REAL NOT NULL, y0 REAL NOT NULL, y1 REAL NOT NULL
) STRICT;
CREATE INDEX braces_of_tank ON braces (tank_id);

CREATE TABLE rocks (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    tank_id INTEGER NOT NULL REFERENCES tanks (id),
    name TEXT NOT NULL,
    x REAL NOT NULL, y REAL NOT NULL, base REAL NOT NULL,
    length REAL NOT NULL, width REAL NOT NULL, height REAL NOT NULL,
    flow TEXT NOT NULL
) STRICT;
CREATE INDEX rocks_of_tank ON rocks (tank_id);

CREATE TABLE setups (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    tank_id INTEGER NOT NULL REFERENCES tanks (id),
    name TEXT NOT NULL,
    in_use INTEGER NOT NULL CHECK (in_use IN (0, 1))
) STRICT;
CREATE INDEX setups_of_tank ON setups (tank_id);

CREATE TABLE fixtures (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    setup_id INTEGER NOT NULL REFERENCES setups (id),
    name TEXT NOT NULL,
    kind TEXT NOT NULL,
    ppf REAL NOT NULL,
    fwhm REAL NOT NULL,
    length REAL NOT NULL, width REAL NOT NULL,
    x REAL NOT NULL, y REAL NOT NULL, height REAL NOT NULL CHECK (height > 0),
    turn REAL NOT NULL,
    output REAL NOT NULL CHECK (output BETWEEN 0 AND 1),
    watts REAL NOT NULL,
    dimmable INTEGER NOT NULL CHECK (dimmable IN (0, 1))
) STRICT;
CREATE INDEX fixtures_of_setup ON fixtures (setup_id);

CREATE TABLE corals (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    tank_id INTEGER NOT NULL REFERENCES tanks (id),
    name TEXT NOT NULL,
    coral_group TEXT NOT NULL,
    par_low REAL NOT NULL, par_high REAL NOT NULL,
    flow TEXT NOT NULL,
    aggression TEXT NOT NULL,
    reach REAL NOT NULL,
    size REAL NOT NULL,
    note TEXT NOT NULL,
    x REAL, y REAL, depth REAL,
    CHECK ((x IS NULL) = (y IS NULL) AND (y IS NULL) = (depth IS NULL))
) STRICT;
CREATE INDEX corals_of_tank ON corals (tank_id);

-- The journal behind undo and redo. A scope is "tanks" or "tank:ID"; row images are JSON objects.
CREATE TABLE edits (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    scope TEXT NOT NULL,
    label TEXT NOT NULL,
    undone INTEGER NOT NULL DEFAULT 0 CHECK (undone IN (0, 1)),
    at TEXT NOT NULL DEFAULT (strftime('%Y-%m-%dT%H:%M:%SZ', 'now'))
) STRICT;
CREATE INDEX edits_of_scope ON edits (scope, undone, id);

CREATE TABLE changes (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    edit_id INTEGER NOT NULL REFERENCES edits (id) ON DELETE CASCADE,
    table_name TEXT NOT NULL,
    row_id INTEGER NOT NULL,
    before TEXT,
    after TEXT
) STRICT;
CREATE INDEX changes_of_edit ON changes (edit_id);

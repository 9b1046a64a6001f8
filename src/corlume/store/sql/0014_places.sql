-- Pumps and flow as it was seen; seats, racks and what stays free; wishes, courses and time lines of corals; own kinds.
CREATE TABLE pumps (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    tank_id INTEGER NOT NULL REFERENCES tanks (id),
    name TEXT NOT NULL,
    kind TEXT NOT NULL,
    x REAL NOT NULL, y REAL NOT NULL, depth REAL NOT NULL,
    turn REAL NOT NULL, tilt REAL NOT NULL,
    rate REAL NOT NULL,
    outlet REAL NOT NULL,
    programme TEXT NOT NULL,
    low REAL NOT NULL
) STRICT;
CREATE INDEX pumps_tank ON pumps (tank_id);
CREATE TABLE flow_marks (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    tank_id INTEGER NOT NULL REFERENCES tanks (id),
    x REAL NOT NULL, y REAL NOT NULL, depth REAL NOT NULL,
    radius REAL NOT NULL,
    flow TEXT NOT NULL
) STRICT;
CREATE INDEX flow_marks_tank ON flow_marks (tank_id);
CREATE TABLE perches (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    tank_id INTEGER NOT NULL REFERENCES tanks (id),
    name TEXT NOT NULL,
    x REAL NOT NULL, y REAL NOT NULL, depth REAL NOT NULL,
    facing TEXT NOT NULL,
    turn REAL NOT NULL,
    holds TEXT NOT NULL
) STRICT;
CREATE INDEX perches_tank ON perches (tank_id);
CREATE TABLE racks (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    tank_id INTEGER NOT NULL REFERENCES tanks (id),
    name TEXT NOT NULL,
    x REAL NOT NULL, y REAL NOT NULL, length REAL NOT NULL, width REAL NOT NULL,
    depth REAL NOT NULL,
    passes REAL NOT NULL
) STRICT;
CREATE INDEX racks_tank ON racks (tank_id);
CREATE TABLE kept_free (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    tank_id INTEGER NOT NULL REFERENCES tanks (id),
    name TEXT NOT NULL,
    x REAL NOT NULL, y REAL NOT NULL, length REAL NOT NULL, width REAL NOT NULL
) STRICT;
CREATE INDEX kept_free_tank ON kept_free (tank_id);
ALTER TABLE corals ADD COLUMN wish_pinned INTEGER NOT NULL DEFAULT 0;
ALTER TABLE corals ADD COLUMN wish_show INTEGER NOT NULL DEFAULT 0;
ALTER TABLE corals ADD COLUMN wish_near TEXT NOT NULL DEFAULT '';
ALTER TABLE corals ADD COLUMN wish_far TEXT NOT NULL DEFAULT '';
ALTER TABLE corals ADD COLUMN course_bought TEXT;
ALTER TABLE corals ADD COLUMN course_origin TEXT NOT NULL DEFAULT '';
ALTER TABLE corals ADD COLUMN course_had REAL;
ALTER TABLE corals ADD COLUMN course_patience TEXT NOT NULL DEFAULT 'week';
ALTER TABLE corals ADD COLUMN course_lost TEXT;
ALTER TABLE tanks ADD COLUMN lights_out TEXT;
-- Notes of light are written beside the journal: they outlast the undoing of their coral, and are there when it is redone.
CREATE TABLE coral_notes (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    coral_id INTEGER NOT NULL,
    kind TEXT NOT NULL,
    day TEXT NOT NULL,
    time TEXT,
    polyps TEXT NOT NULL,
    tissue TEXT NOT NULL,
    colour TEXT NOT NULL,
    x REAL, y REAL, depth REAL,
    par REAL,
    setup TEXT NOT NULL,
    picture TEXT NOT NULL,
    note TEXT NOT NULL
) STRICT;
CREATE INDEX coral_notes_coral ON coral_notes (coral_id, day);
-- The keeper's own kinds of coral, for every tank.
CREATE TABLE coral_kinds (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    name TEXT NOT NULL,
    coral_group TEXT NOT NULL,
    par_low REAL NOT NULL, par_high REAL NOT NULL,
    flow TEXT NOT NULL,
    aggression TEXT NOT NULL,
    reach REAL NOT NULL,
    size REAL NOT NULL,
    note TEXT NOT NULL,
    form TEXT NOT NULL,
    height REAL NOT NULL,
    growth REAL NOT NULL,
    on_top INTEGER NOT NULL, on_face INTEGER NOT NULL, on_sand INTEGER NOT NULL, under INTEGER NOT NULL,
    on_pane INTEGER NOT NULL, untidy INTEGER NOT NULL,
    overgrows INTEGER NOT NULL,
    food INTEGER NOT NULL,
    light TEXT NOT NULL,
    flow_form TEXT NOT NULL,
    fixing TEXT NOT NULL,
    light_basis TEXT NOT NULL, flow_basis TEXT NOT NULL, reach_basis TEXT NOT NULL, growth_basis TEXT NOT NULL,
    source TEXT NOT NULL
) STRICT;

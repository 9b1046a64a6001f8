-- Natural rock: pieces with a mesh, kept as a blob, and where each lies; and what a brush added and carved.
CREATE TABLE natural_rocks (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    tank_id INTEGER NOT NULL REFERENCES tanks (id),
    name TEXT NOT NULL,
    mesh_key TEXT NOT NULL,
    x REAL NOT NULL, y REAL NOT NULL, base REAL NOT NULL,
    turn REAL NOT NULL, tilt_back REAL NOT NULL, tilt_right REAL NOT NULL,
    scale REAL NOT NULL,
    flow TEXT NOT NULL,
    origin TEXT NOT NULL
) STRICT;
CREATE INDEX natural_rocks_tank ON natural_rocks (tank_id);
CREATE TABLE brushed_rock (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    tank_id INTEGER NOT NULL REFERENCES tanks (id),
    key TEXT NOT NULL
) STRICT;
CREATE INDEX brushed_rock_tank ON brushed_rock (tank_id);

-- What feeds the lights of a setup, the cords of its fixtures, and the protection of the circuit.
CREATE TABLE power_parts (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    setup_id INTEGER NOT NULL REFERENCES setups (id),
    name TEXT NOT NULL,
    type TEXT NOT NULL,
    x REAL NOT NULL, y REAL NOT NULL, height REAL NOT NULL,
    fed_by TEXT NOT NULL,
    sockets INTEGER NOT NULL, pitch REAL NOT NULL, amps REAL NOT NULL,
    lead REAL NOT NULL, plug REAL NOT NULL,
    watts REAL NOT NULL, inrush REAL NOT NULL, leakage REAL NOT NULL
) STRICT;
CREATE INDEX power_parts_setup ON power_parts (setup_id);
CREATE TABLE cords (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    setup_id INTEGER NOT NULL REFERENCES setups (id),
    fixture TEXT NOT NULL,
    leaves_at TEXT NOT NULL,
    length REAL NOT NULL, plug REAL NOT NULL,
    fed_by TEXT NOT NULL,
    chained INTEGER NOT NULL, link REAL NOT NULL,
    inrush REAL NOT NULL, leakage REAL NOT NULL
) STRICT;
CREATE INDEX cords_setup ON cords (setup_id);
ALTER TABLE tanks ADD COLUMN residual REAL NOT NULL DEFAULT 0;
ALTER TABLE tanks ADD COLUMN surge INTEGER NOT NULL DEFAULT 0;

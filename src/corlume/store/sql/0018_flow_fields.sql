-- Solved flow by what it was solved for: worked out, not said by the keeper, so that no edit speaks of it.
CREATE TABLE flow_fields (
    tank_id INTEGER NOT NULL REFERENCES tanks(id),
    key TEXT NOT NULL,
    field BLOB NOT NULL,
    solved INTEGER PRIMARY KEY
) STRICT;
CREATE UNIQUE INDEX flow_fields_of_tank ON flow_fields (tank_id, key);

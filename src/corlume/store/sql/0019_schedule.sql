-- The day of a setup: groups of fixtures, and points of the day at which each has a level.
ALTER TABLE fixtures ADD COLUMN light_group TEXT NOT NULL DEFAULT '';
ALTER TABLE own_fixtures ADD COLUMN light_group TEXT NOT NULL DEFAULT '';
ALTER TABLE survey_fixtures ADD COLUMN light_group TEXT NOT NULL DEFAULT '';
CREATE TABLE light_groups (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    setup_id INTEGER NOT NULL REFERENCES setups (id),
    name TEXT NOT NULL,
    ramp TEXT NOT NULL
) STRICT;
CREATE INDEX light_groups_setup ON light_groups (setup_id);
CREATE TABLE day_points (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    group_id INTEGER NOT NULL REFERENCES light_groups (id),
    time TEXT NOT NULL,
    level REAL NOT NULL,
    channels TEXT NOT NULL DEFAULT ''
) STRICT;
CREATE INDEX day_points_group ON day_points (group_id);

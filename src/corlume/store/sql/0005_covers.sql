-- What stands between lamp and water: a lid or mesh over the tank, and what age, salt and dust leave of a fixture's light.
ALTER TABLE tanks ADD COLUMN cover REAL NOT NULL DEFAULT 1;
ALTER TABLE fixtures ADD COLUMN condition REAL NOT NULL DEFAULT 1;
ALTER TABLE own_fixtures ADD COLUMN condition REAL NOT NULL DEFAULT 1;

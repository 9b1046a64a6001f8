-- Channels that go past 100 %, under a limit of power.
ALTER TABLE fixtures ADD COLUMN channel_reach TEXT NOT NULL DEFAULT '';
ALTER TABLE fixtures ADD COLUMN most_watts REAL NOT NULL DEFAULT 0;
ALTER TABLE own_fixtures ADD COLUMN channel_reach TEXT NOT NULL DEFAULT '';
ALTER TABLE own_fixtures ADD COLUMN most_watts REAL NOT NULL DEFAULT 0;
ALTER TABLE survey_fixtures ADD COLUMN channel_reach TEXT NOT NULL DEFAULT '';
ALTER TABLE survey_fixtures ADD COLUMN most_watts REAL NOT NULL DEFAULT 0;

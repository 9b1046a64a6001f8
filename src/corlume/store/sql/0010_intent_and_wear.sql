-- What a setup is meant for, with its own light on top and the length of a strong end; and the answers about wear.
ALTER TABLE setups ADD COLUMN purpose TEXT NOT NULL DEFAULT 'goal';
ALTER TABLE setups ADD COLUMN top_low REAL NOT NULL DEFAULT 0;
ALTER TABLE setups ADD COLUMN top_high REAL NOT NULL DEFAULT 0;
ALTER TABLE setups ADD COLUMN strong_end REAL NOT NULL DEFAULT 0;
ALTER TABLE fixtures ADD COLUMN wear TEXT;
ALTER TABLE own_fixtures ADD COLUMN wear TEXT;
-- Searches have another shape of wish and answers; nothing hangs by them.
DELETE FROM searches;

-- Water by wavelength ("sea") or by plain numbers ("plain", as tanks had until now), its ripples, and shade by corals.
ALTER TABLE tanks ADD COLUMN water_kind TEXT NOT NULL DEFAULT 'plain';
ALTER TABLE tanks ADD COLUMN temperature REAL NOT NULL DEFAULT 25;
ALTER TABLE tanks ADD COLUMN salinity REAL NOT NULL DEFAULT 35;
ALTER TABLE tanks ADD COLUMN yellowing REAL NOT NULL DEFAULT 0.05;
ALTER TABLE tanks ADD COLUMN ripple REAL NOT NULL DEFAULT 0;
ALTER TABLE tanks ADD COLUMN colony_shade INTEGER NOT NULL DEFAULT 0 CHECK (colony_shade IN (0, 1));
-- Arches and mounds; blocking edges above the rim (null: at the rim).
ALTER TABLE rocks ADD COLUMN form TEXT NOT NULL DEFAULT 'block';
ALTER TABLE braces ADD COLUMN height REAL;
-- Channels with their spectra (JSON, null: one of a spectrum not known) and the level of each (JSON, null: all full).
ALTER TABLE fixtures ADD COLUMN channels TEXT;
ALTER TABLE fixtures ADD COLUMN levels TEXT;
ALTER TABLE own_fixtures ADD COLUMN channels TEXT;
ALTER TABLE own_fixtures ADD COLUMN levels TEXT;
ALTER TABLE own_fixtures ADD COLUMN weight REAL NOT NULL DEFAULT 0;
ALTER TABLE own_fixtures ADD COLUMN price REAL NOT NULL DEFAULT 0;
ALTER TABLE own_fixtures ADD COLUMN mount TEXT NOT NULL DEFAULT '';

-- Tilt about both axes [rad], a lobe of its own (JSON, null for cos^m of fwhm), and the frame a fixture hangs in.
ALTER TABLE fixtures ADD COLUMN roll REAL NOT NULL DEFAULT 0;
ALTER TABLE fixtures ADD COLUMN pitch REAL NOT NULL DEFAULT 0;
ALTER TABLE fixtures ADD COLUMN lobe TEXT;
ALTER TABLE fixtures ADD COLUMN frame TEXT NOT NULL DEFAULT '';

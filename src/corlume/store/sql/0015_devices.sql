-- Whether a paired device may change everything; otherwise it may look, and do what is done at the tank.
ALTER TABLE devices ADD COLUMN trusted INTEGER NOT NULL DEFAULT 0 CHECK (trusted IN (0, 1));

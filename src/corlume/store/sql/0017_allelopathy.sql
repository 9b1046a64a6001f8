-- Whether a type of coral gives off chemicals against its neighbours, through the water.
ALTER TABLE coral_kinds ADD COLUMN allelopathic INTEGER NOT NULL DEFAULT 0;

-- What a survey is for, and places that were looked at without a meter.
ALTER TABLE surveys ADD COLUMN kind TEXT NOT NULL DEFAULT '';
ALTER TABLE spots ADD COLUMN seen TEXT NOT NULL DEFAULT '';
UPDATE surveys SET kind = 'balance' WHERE session != '';

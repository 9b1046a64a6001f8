-- Whether shimmer is liked in a setup's light, calm light is wanted, or neither.
ALTER TABLE setups ADD COLUMN shimmer TEXT NOT NULL DEFAULT 'any';

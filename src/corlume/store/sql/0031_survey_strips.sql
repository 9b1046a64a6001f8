-- What mounts put over the water on the day of a survey, as JSON: x0, x1, y0, y1 and the height over the water [m].
ALTER TABLE surveys ADD COLUMN strips TEXT;

-- Whether a paired device may change everything; otherwise it may look, and do what is done at the tank.
ALTER TABLE devices ADD COLUMN trusted INTEGER NOT NULL DEFAULT 0 CHECK (trusted IN (0, 1));

-- The corals that shaded on the day of a survey, as JSON: from left, from front, depth, radius [m].
ALTER TABLE surveys ADD COLUMN colonies TEXT;
-- A survey of before keeps the shade that it was compared with: that of the corals placed now.
UPDATE surveys SET colonies = (
    SELECT json_group_array(json_array(x, y, depth, size / 2)) FROM corals
    WHERE corals.tank_id = surveys.tank_id AND x IS NOT NULL AND course_lost IS NULL
) WHERE tank_id IN (SELECT id FROM tanks WHERE colony_shade = 1);

-- How large a coral was when it came [m].
ALTER TABLE corals ADD COLUMN course_across REAL;

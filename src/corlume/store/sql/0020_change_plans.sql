-- Plans of slow change: from one setup's light to another's, by steps with their days.
CREATE TABLE change_plans (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    tank_id INTEGER NOT NULL REFERENCES tanks (id),
    name TEXT NOT NULL,
    setup TEXT NOT NULL,
    was TEXT NOT NULL,
    approach TEXT NOT NULL,
    state TEXT NOT NULL,
    bound REAL NOT NULL,
    every INTEGER NOT NULL,
    hours REAL NOT NULL,
    raised REAL NOT NULL,
    reason TEXT NOT NULL
) STRICT;
CREATE INDEX change_plans_tank ON change_plans (tank_id);
CREATE TABLE plan_starts (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    plan_id INTEGER NOT NULL REFERENCES change_plans (id),
    light_group TEXT NOT NULL,
    level REAL NOT NULL
) STRICT;
CREATE INDEX plan_starts_plan ON plan_starts (plan_id);
CREATE TABLE plan_steps (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    plan_id INTEGER NOT NULL REFERENCES change_plans (id),
    day TEXT NOT NULL,
    part REAL NOT NULL,
    scale REAL NOT NULL
) STRICT;
CREATE INDEX plan_steps_plan ON plan_steps (plan_id);

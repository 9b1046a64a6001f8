-- Steps of a setup's checklist that were done.
CREATE TABLE ticks (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    setup_id INTEGER NOT NULL REFERENCES setups (id),
    step TEXT NOT NULL,
    day TEXT NOT NULL,
    note TEXT NOT NULL,
    screws_out INTEGER NOT NULL, screws_in INTEGER NOT NULL
) STRICT;
CREATE INDEX ticks_setup ON ticks (setup_id);

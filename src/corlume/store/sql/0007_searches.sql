-- Searches for a layout: what was wished, how far it is, and the best found so far, as JSON. Not undone: nothing hangs by it.
CREATE TABLE searches (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    tank_id INTEGER NOT NULL REFERENCES tanks (id),
    setup_id INTEGER NOT NULL,
    wish TEXT NOT NULL,
    state TEXT NOT NULL CHECK (state IN ('running', 'done', 'stopped', 'failed')),
    done REAL NOT NULL DEFAULT 0,
    judged INTEGER NOT NULL DEFAULT 0,
    found TEXT NOT NULL DEFAULT '[]',
    curve TEXT NOT NULL DEFAULT '[]',
    at TEXT NOT NULL DEFAULT (strftime('%Y-%m-%dT%H:%M:%SZ', 'now'))
) STRICT;
CREATE INDEX searches_of_tank ON searches (tank_id, id);

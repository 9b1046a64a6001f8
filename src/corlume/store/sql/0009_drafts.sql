-- A fixture read from a file and looked at, until it is put on the shelf; the oldest make room. Not undone.
CREATE TABLE drafts (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    fixture TEXT NOT NULL,
    source TEXT NOT NULL
) STRICT;
-- Searches can wait for their turn and be cut off; the version says by which shape of answers they read. Nothing hangs by them.
DROP TABLE searches;
CREATE TABLE searches (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    tank_id INTEGER NOT NULL REFERENCES tanks (id),
    setup_id INTEGER NOT NULL,
    version INTEGER NOT NULL,
    wish TEXT NOT NULL,
    state TEXT NOT NULL CHECK (state IN ('waiting', 'running', 'done', 'stopped', 'failed')),
    done REAL NOT NULL DEFAULT 0,
    judged INTEGER NOT NULL DEFAULT 0,
    found TEXT NOT NULL DEFAULT '[]',
    curve TEXT NOT NULL DEFAULT '[]',
    at TEXT NOT NULL DEFAULT (strftime('%Y-%m-%dT%H:%M:%SZ', 'now'))
) STRICT;
CREATE INDEX searches_of_tank ON searches (tank_id, id);

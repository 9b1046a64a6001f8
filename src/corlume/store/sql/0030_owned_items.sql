-- Fixtures in the cupboard, and what they cost second-hand.
CREATE TABLE owned_items (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    key TEXT NOT NULL,
    count INTEGER NOT NULL,
    offer REAL NOT NULL
) STRICT;

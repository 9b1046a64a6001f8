-- The keeper's own fixtures, as they would hang by default; edits of the shelf have the journal's scope "shelf".
CREATE TABLE own_fixtures (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    name TEXT NOT NULL,
    kind TEXT NOT NULL,
    ppf REAL NOT NULL,
    fwhm REAL NOT NULL,
    length REAL NOT NULL, width REAL NOT NULL,
    x REAL NOT NULL, y REAL NOT NULL, height REAL NOT NULL CHECK (height > 0),
    turn REAL NOT NULL, roll REAL NOT NULL, pitch REAL NOT NULL,
    output REAL NOT NULL CHECK (output BETWEEN 0 AND 1),
    watts REAL NOT NULL,
    dimmable INTEGER NOT NULL CHECK (dimmable IN (0, 1)),
    lobe TEXT,
    frame TEXT NOT NULL,
    source TEXT NOT NULL
) STRICT;

-- Surveys with their spots and the lights as they were; where a fixture's photon flux comes from.
ALTER TABLE fixtures ADD COLUMN basis TEXT NOT NULL DEFAULT 'typical';
ALTER TABLE own_fixtures ADD COLUMN basis TEXT NOT NULL DEFAULT 'maker';
CREATE TABLE surveys (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    tank_id INTEGER NOT NULL REFERENCES tanks (id),
    name TEXT NOT NULL,
    day TEXT NOT NULL,
    setup TEXT NOT NULL,
    session TEXT NOT NULL,
    pumps TEXT NOT NULL,
    meter TEXT NOT NULL,
    immersion REAL NOT NULL,
    note TEXT NOT NULL,
    correction TEXT,
    in_use INTEGER NOT NULL
) STRICT;
CREATE INDEX surveys_tank ON surveys (tank_id);
CREATE TABLE spots (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    survey_id INTEGER NOT NULL REFERENCES surveys (id),
    name TEXT NOT NULL,
    x REAL NOT NULL,
    y REAL NOT NULL,
    depth REAL NOT NULL,
    reason TEXT NOT NULL,
    readings TEXT NOT NULL,
    pumps TEXT NOT NULL,
    time TEXT,
    level REAL NOT NULL,
    upright INTEGER NOT NULL,
    note TEXT NOT NULL,
    skipped INTEGER NOT NULL
) STRICT;
CREATE INDEX spots_survey ON spots (survey_id);
-- The lights of a survey as they were set then: the columns of fixtures.
CREATE TABLE survey_fixtures (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    survey_id INTEGER NOT NULL REFERENCES surveys (id),
    name TEXT NOT NULL,
    kind TEXT NOT NULL,
    ppf REAL NOT NULL,
    fwhm REAL NOT NULL,
    length REAL NOT NULL, width REAL NOT NULL,
    x REAL NOT NULL, y REAL NOT NULL, height REAL NOT NULL,
    turn REAL NOT NULL, roll REAL NOT NULL, pitch REAL NOT NULL,
    output REAL NOT NULL,
    watts REAL NOT NULL,
    dimmable INTEGER NOT NULL,
    lobe TEXT,
    channels TEXT,
    levels TEXT,
    frame TEXT NOT NULL,
    condition REAL NOT NULL,
    weight REAL NOT NULL,
    wear TEXT,
    basis TEXT NOT NULL
) STRICT;
CREATE INDEX survey_fixtures_survey ON survey_fixtures (survey_id);
-- Phones that may come in over the home network, and links that pair one; tokens are kept as SHA-256 alone. Not undone.
CREATE TABLE devices (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    name TEXT NOT NULL,
    hash TEXT NOT NULL UNIQUE,
    paired TEXT NOT NULL,
    seen TEXT NOT NULL
) STRICT;
CREATE TABLE pairings (
    hash TEXT PRIMARY KEY,
    until TEXT NOT NULL
) STRICT;
-- Photos of a tank, fixed to it by four corners; the picture itself is a blob.
CREATE TABLE photos (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    tank_id INTEGER NOT NULL REFERENCES tanks (id),
    name TEXT NOT NULL,
    view TEXT NOT NULL,
    picture TEXT NOT NULL,
    width INTEGER NOT NULL,
    height INTEGER NOT NULL,
    corners TEXT
) STRICT;
CREATE INDEX photos_tank ON photos (tank_id);

BEGIN TRANSACTION;
CREATE TABLE braces (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    tank_id INTEGER NOT NULL REFERENCES tanks (id),
    x0 REAL NOT NULL, x1 REAL NOT NULL, y0 REAL NOT NULL, y1 REAL NOT NULL
) STRICT;
INSERT INTO "braces" VALUES(1,1,5.70000000000000062172e-01,0.65,0.0,0.6096);
INSERT INTO "braces" VALUES(2,2,5.70000000000000062172e-01,0.65,0.0,0.6096);
CREATE TABLE changes (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    edit_id INTEGER NOT NULL REFERENCES edits (id) ON DELETE CASCADE,
    table_name TEXT NOT NULL,
    row_id INTEGER NOT NULL,
    before TEXT,
    after TEXT
) STRICT;
INSERT INTO "changes" VALUES(1,1,'tanks',1,'{"id": 1, "removed": 1, "name": "Kept from before", "length": 1.2192, "width": 0.6096, "water_depth": 0.55, "rim_height": 0.03, "rim_inset": 0.0, "room_height": 0.9, "sand": 0.03, "sand_flow": "", "attenuation": 0.06, "refractive_index": 1.34, "left_kind": "plain", "left_factor": 0.3, "right_kind": "plain", "right_factor": 0.3, "front_kind": "glass", "front_factor": 0.85, "back_kind": "plain", "back_factor": 0.08, "lps_low": 75.0, "lps_high": 150.0, "sps_low": 250.0, "sps_high": 350.0, "ceiling": 500.0, "goal": "sps", "school": "strict", "hours": 9.0, "price": 0.3, "currency": "EUR", "sand_albedo": 0.3, "rock_albedo": 0.1}','{"id": 1, "removed": 0, "name": "Kept from before", "length": 1.2192, "width": 0.6096, "water_depth": 0.55, "rim_height": 0.03, "rim_inset": 0.0, "room_height": 0.9, "sand": 0.03, "sand_flow": "", "attenuation": 0.06, "refractive_index": 1.34, "left_kind": "plain", "left_factor": 0.3, "right_kind": "plain", "right_factor": 0.3, "front_kind": "glass", "front_factor": 0.85, "back_kind": "plain", "back_factor": 0.08, "lps_low": 75.0, "lps_high": 150.0, "sps_low": 250.0, "sps_high": 350.0, "ceiling": 500.0, "goal": "sps", "school": "strict", "hours": 9.0, "price": 0.3, "currency": "EUR", "sand_albedo": 0.3, "rock_albedo": 0.1}');
INSERT INTO "changes" VALUES(2,2,'fixtures',1,'{"id": 1, "setup_id": 1, "name": "Left module", "kind": "led_cluster", "ppf": 220.0, "fwhm": 1.9198621771937625, "length": 0.14, "width": 0.14, "x": 0.40640000000000004, "y": 0.3048, "height": 0.3048, "turn": 0.0, "output": 0.7, "watts": 115.0, "dimmable": 1, "roll": 0.0, "pitch": 0.0, "lobe": null, "frame": ""}','{"id": 1, "setup_id": 1, "name": "Left module", "kind": "led_cluster", "ppf": 220.0, "fwhm": 1.9198621771937625, "length": 0.14, "width": 0.14, "x": 0.4, "y": 0.3048, "height": 0.3048, "turn": 0.0, "output": 0.7, "watts": 115.0, "dimmable": 1, "roll": 0.0, "pitch": 0.0, "lobe": null, "frame": ""}');
INSERT INTO "changes" VALUES(3,3,'setups',3,NULL,'{"id": 3, "tank_id": 1, "name": "Balanced, copy", "in_use": 0}');
INSERT INTO "changes" VALUES(4,3,'fixtures',5,NULL,'{"id": 5, "setup_id": 3, "name": "Left module", "kind": "led_cluster", "ppf": 220.0, "fwhm": 1.9198621771937625, "length": 0.14, "width": 0.14, "x": 0.4, "y": 0.3048, "height": 0.3048, "turn": 0.0, "output": 0.7, "watts": 115.0, "dimmable": 1, "roll": 0.0, "pitch": 0.0, "lobe": null, "frame": ""}');
INSERT INTO "changes" VALUES(5,3,'fixtures',6,NULL,'{"id": 6, "setup_id": 3, "name": "Right module", "kind": "led_cluster", "ppf": 220.0, "fwhm": 1.9198621771937625, "length": 0.14, "width": 0.14, "x": 0.8128000000000001, "y": 0.3048, "height": 0.3048, "turn": 0.0, "output": 0.7, "watts": 115.0, "dimmable": 1, "roll": 0.0, "pitch": 0.0, "lobe": null, "frame": ""}');
INSERT INTO "changes" VALUES(6,4,'corals',1,'{"id": 1, "tank_id": 1, "name": "Acropora tenuis", "coral_group": "sps", "par_low": 230.0, "par_high": 380.0, "flow": "high", "aggression": "moderate", "reach": 0.02, "size": 0.2, "note": "", "x": 0.6, "y": 0.35000000000000003, "depth": 0.27}','{"id": 1, "tank_id": 1, "name": "Acropora tenuis", "coral_group": "sps", "par_low": 230.0, "par_high": 380.0, "flow": "high", "aggression": "moderate", "reach": 0.02, "size": 0.2, "note": "", "x": null, "y": null, "depth": null}');
INSERT INTO "changes" VALUES(7,5,'tanks',2,'{"id": 2, "removed": 1, "name": "Kept from before", "length": 1.2192, "width": 0.6096, "water_depth": 0.55, "rim_height": 0.03, "rim_inset": 0.0, "room_height": 0.9, "sand": 0.03, "sand_flow": "", "attenuation": 0.06, "refractive_index": 1.34, "left_kind": "plain", "left_factor": 0.3, "right_kind": "plain", "right_factor": 0.3, "front_kind": "glass", "front_factor": 0.85, "back_kind": "plain", "back_factor": 0.08, "lps_low": 75.0, "lps_high": 150.0, "sps_low": 250.0, "sps_high": 350.0, "ceiling": 500.0, "goal": "sps", "school": "strict", "hours": 9.0, "price": 0.3, "currency": "EUR", "sand_albedo": 0.3, "rock_albedo": 0.1}','{"id": 2, "removed": 0, "name": "Kept from before", "length": 1.2192, "width": 0.6096, "water_depth": 0.55, "rim_height": 0.03, "rim_inset": 0.0, "room_height": 0.9, "sand": 0.03, "sand_flow": "", "attenuation": 0.06, "refractive_index": 1.34, "left_kind": "plain", "left_factor": 0.3, "right_kind": "plain", "right_factor": 0.3, "front_kind": "glass", "front_factor": 0.85, "back_kind": "plain", "back_factor": 0.08, "lps_low": 75.0, "lps_high": 150.0, "sps_low": 250.0, "sps_high": 350.0, "ceiling": 500.0, "goal": "sps", "school": "strict", "hours": 9.0, "price": 0.3, "currency": "EUR", "sand_albedo": 0.3, "rock_albedo": 0.1}');
INSERT INTO "changes" VALUES(8,6,'tanks',2,'{"id": 2, "removed": 0, "name": "Kept from before", "length": 1.2192, "width": 0.6096, "water_depth": 0.55, "rim_height": 0.03, "rim_inset": 0.0, "room_height": 0.9, "sand": 0.03, "sand_flow": "", "attenuation": 0.06, "refractive_index": 1.34, "left_kind": "plain", "left_factor": 0.3, "right_kind": "plain", "right_factor": 0.3, "front_kind": "glass", "front_factor": 0.85, "back_kind": "plain", "back_factor": 0.08, "lps_low": 75.0, "lps_high": 150.0, "sps_low": 250.0, "sps_high": 350.0, "ceiling": 500.0, "goal": "sps", "school": "strict", "hours": 9.0, "price": 0.3, "currency": "EUR", "sand_albedo": 0.3, "rock_albedo": 0.1}','{"id": 2, "removed": 1, "name": "Kept from before", "length": 1.2192, "width": 0.6096, "water_depth": 0.55, "rim_height": 0.03, "rim_inset": 0.0, "room_height": 0.9, "sand": 0.03, "sand_flow": "", "attenuation": 0.06, "refractive_index": 1.34, "left_kind": "plain", "left_factor": 0.3, "right_kind": "plain", "right_factor": 0.3, "front_kind": "glass", "front_factor": 0.85, "back_kind": "plain", "back_factor": 0.08, "lps_low": 75.0, "lps_high": 150.0, "sps_low": 250.0, "sps_high": 350.0, "ceiling": 500.0, "goal": "sps", "school": "strict", "hours": 9.0, "price": 0.3, "currency": "EUR", "sand_albedo": 0.3, "rock_albedo": 0.1}');
CREATE TABLE corals (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    tank_id INTEGER NOT NULL REFERENCES tanks (id),
    name TEXT NOT NULL,
    coral_group TEXT NOT NULL,
    par_low REAL NOT NULL, par_high REAL NOT NULL,
    flow TEXT NOT NULL,
    aggression TEXT NOT NULL,
    reach REAL NOT NULL,
    size REAL NOT NULL,
    note TEXT NOT NULL,
    x REAL, y REAL, depth REAL,
    CHECK ((x IS NULL) = (y IS NULL) AND (y IS NULL) = (depth IS NULL))
) STRICT;
INSERT INTO "corals" VALUES(1,1,'Acropora tenuis','sps',230.0,380.0,'high','moderate',0.02,0.2,'',0.6,3.50000000000000033306e-01,0.27);
CREATE TABLE edits (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    scope TEXT NOT NULL,
    label TEXT NOT NULL,
    undone INTEGER NOT NULL DEFAULT 0 CHECK (undone IN (0, 1)),
    at TEXT NOT NULL DEFAULT (strftime('%Y-%m-%dT%H:%M:%SZ', 'now'))
) STRICT;
INSERT INTO "edits" VALUES(1,'tanks','import Kept from before',0,'2026-11-25T10:34:22Z');
INSERT INTO "edits" VALUES(2,'tank:1','move Left module',0,'2026-11-25T10:34:22Z');
INSERT INTO "edits" VALUES(3,'tank:1','copy setup Balanced',0,'2026-11-25T10:34:22Z');
INSERT INTO "edits" VALUES(4,'tank:1','take up Acropora tenuis',1,'2026-11-25T10:34:22Z');
INSERT INTO "edits" VALUES(5,'tanks','import Kept from before',0,'2026-11-25T10:34:22Z');
INSERT INTO "edits" VALUES(6,'tanks','remove Kept from before',0,'2026-11-25T10:34:22Z');
CREATE TABLE fixtures (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    setup_id INTEGER NOT NULL REFERENCES setups (id),
    name TEXT NOT NULL,
    kind TEXT NOT NULL,
    ppf REAL NOT NULL,
    fwhm REAL NOT NULL,
    length REAL NOT NULL, width REAL NOT NULL,
    x REAL NOT NULL, y REAL NOT NULL, height REAL NOT NULL CHECK (height > 0),
    turn REAL NOT NULL,
    output REAL NOT NULL CHECK (output BETWEEN 0 AND 1),
    watts REAL NOT NULL,
    dimmable INTEGER NOT NULL CHECK (dimmable IN (0, 1))
, roll REAL NOT NULL DEFAULT 0, pitch REAL NOT NULL DEFAULT 0, lobe TEXT, frame TEXT NOT NULL DEFAULT '') STRICT;
INSERT INTO "fixtures" VALUES(1,1,'Left module','led_cluster',220.0,1.91986217719376250911e+00,0.14,0.14,0.4,0.3048,0.3048,0.0,0.7,115.0,1,0.0,0.0,NULL,'');
INSERT INTO "fixtures" VALUES(2,1,'Right module','led_cluster',220.0,1.91986217719376250911e+00,0.14,0.14,8.12800000000000077982e-01,0.3048,0.3048,0.0,0.7,115.0,1,0.0,0.0,NULL,'');
INSERT INTO "fixtures" VALUES(3,2,'Bar','led_bar',90.0,1.74532925199432953355e+00,1.1,0.03,0.6096,0.12,0.22,0.0,1.0,50.0,1,0.0,0.0,NULL,'');
INSERT INTO "fixtures" VALUES(4,2,'Halide','halide',230.0,1.91986217719376250911e+00,0.3,0.3,0.6096,3.50000000000000033306e-01,0.34,0.0,1.0,275.0,0,0.0,0.0,NULL,'');
INSERT INTO "fixtures" VALUES(5,3,'Left module','led_cluster',220.0,1.91986217719376250911e+00,0.14,0.14,0.4,0.3048,0.3048,0.0,0.7,115.0,1,0.0,0.0,NULL,'');
INSERT INTO "fixtures" VALUES(6,3,'Right module','led_cluster',220.0,1.91986217719376250911e+00,0.14,0.14,8.12800000000000077982e-01,0.3048,0.3048,0.0,0.7,115.0,1,0.0,0.0,NULL,'');
INSERT INTO "fixtures" VALUES(7,4,'Left module','led_cluster',220.0,1.91986217719376250911e+00,0.14,0.14,4.06400000000000038991e-01,0.3048,0.3048,0.0,0.7,115.0,1,0.0,0.0,NULL,'');
INSERT INTO "fixtures" VALUES(8,4,'Right module','led_cluster',220.0,1.91986217719376250911e+00,0.14,0.14,8.12800000000000077982e-01,0.3048,0.3048,0.0,0.7,115.0,1,0.0,0.0,NULL,'');
INSERT INTO "fixtures" VALUES(9,5,'Bar','led_bar',90.0,1.74532925199432953355e+00,1.1,0.03,0.6096,0.12,0.22,0.0,1.0,50.0,1,0.0,0.0,NULL,'');
INSERT INTO "fixtures" VALUES(10,5,'Halide','halide',230.0,1.91986217719376250911e+00,0.3,0.3,0.6096,3.50000000000000033306e-01,0.34,0.0,1.0,275.0,0,0.0,0.0,NULL,'');
CREATE TABLE migrations (number INTEGER PRIMARY KEY, name TEXT NOT NULL, hash TEXT NOT NULL, at TEXT NOT NULL) STRICT;
INSERT INTO "migrations" VALUES(1,'0001_tanks.sql','9336c3a06c20709a294cb95e86a56c5d046275334f68cd7f8948cdded32638e6','2026-11-25 10:34:22');
INSERT INTO "migrations" VALUES(2,'0002_tilt_and_lobes.sql','37fa0ce11612b3e763a4133dc195e57a988583d51aaf8c88582248f23120ccd5','2026-11-25 10:34:22');
INSERT INTO "migrations" VALUES(3,'0003_albedo.sql','7f44ac77fd38fae90823abfefa308b7f5baff6f58af717c0be564afc9db84594','2026-11-25 10:34:22');
CREATE TABLE rocks (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    tank_id INTEGER NOT NULL REFERENCES tanks (id),
    name TEXT NOT NULL,
    x REAL NOT NULL, y REAL NOT NULL, base REAL NOT NULL,
    length REAL NOT NULL, width REAL NOT NULL, height REAL NOT NULL,
    flow TEXT NOT NULL
) STRICT;
INSERT INTO "rocks" VALUES(1,1,'Ledge',0.4,0.25,0.2,0.4,0.2,0.08,'medium');
INSERT INTO "rocks" VALUES(2,2,'Ledge',0.4,0.25,0.2,0.4,0.2,0.08,'medium');
CREATE TABLE setups (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    tank_id INTEGER NOT NULL REFERENCES tanks (id),
    name TEXT NOT NULL,
    in_use INTEGER NOT NULL CHECK (in_use IN (0, 1))
) STRICT;
INSERT INTO "setups" VALUES(1,1,'Balanced',1);
INSERT INTO "setups" VALUES(2,1,'With fill and halide',0);
INSERT INTO "setups" VALUES(3,1,'Balanced, copy',0);
INSERT INTO "setups" VALUES(4,2,'Balanced',1);
INSERT INTO "setups" VALUES(5,2,'With fill and halide',0);
CREATE TABLE tanks (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    removed INTEGER NOT NULL DEFAULT 0 CHECK (removed IN (0, 1)),
    name TEXT NOT NULL,
    length REAL NOT NULL CHECK (length > 0),
    width REAL NOT NULL CHECK (width > 0),
    water_depth REAL NOT NULL CHECK (water_depth > 0),
    rim_height REAL NOT NULL,
    rim_inset REAL NOT NULL,
    room_height REAL NOT NULL,
    sand REAL NOT NULL,
    sand_flow TEXT NOT NULL,
    attenuation REAL NOT NULL,
    refractive_index REAL NOT NULL,
    left_kind TEXT NOT NULL, left_factor REAL NOT NULL,
    right_kind TEXT NOT NULL, right_factor REAL NOT NULL,
    front_kind TEXT NOT NULL, front_factor REAL NOT NULL,
    back_kind TEXT NOT NULL, back_factor REAL NOT NULL,
    lps_low REAL NOT NULL, lps_high REAL NOT NULL,
    sps_low REAL NOT NULL, sps_high REAL NOT NULL,
    ceiling REAL NOT NULL,
    goal TEXT NOT NULL,
    school TEXT NOT NULL,
    hours REAL NOT NULL,
    price REAL NOT NULL,
    currency TEXT NOT NULL
, sand_albedo REAL NOT NULL DEFAULT 0.3, rock_albedo REAL NOT NULL DEFAULT 0.1) STRICT;
INSERT INTO "tanks" VALUES(1,0,'Kept from before',1.2192,0.6096,0.55,0.03,0.0,0.9,0.03,'',0.06,1.34,'plain',0.3,'plain',0.3,'glass',0.85,'plain',0.08,75.0,150.0,250.0,350.0,500.0,'sps','strict',9.0,0.3,'EUR',0.3,0.1);
INSERT INTO "tanks" VALUES(2,1,'Kept from before',1.2192,0.6096,0.55,0.03,0.0,0.9,0.03,'',0.06,1.34,'plain',0.3,'plain',0.3,'glass',0.85,'plain',0.08,75.0,150.0,250.0,350.0,500.0,'sps','strict',9.0,0.3,'EUR',0.3,0.1);
CREATE INDEX braces_of_tank ON braces (tank_id);
CREATE INDEX rocks_of_tank ON rocks (tank_id);
CREATE INDEX setups_of_tank ON setups (tank_id);
CREATE INDEX fixtures_of_setup ON fixtures (setup_id);
CREATE INDEX corals_of_tank ON corals (tank_id);
CREATE INDEX edits_of_scope ON edits (scope, undone, id);
CREATE INDEX changes_of_edit ON changes (edit_id);
DELETE FROM "sqlite_sequence";
INSERT INTO "sqlite_sequence" VALUES('tanks',2);
INSERT INTO "sqlite_sequence" VALUES('rocks',2);
INSERT INTO "sqlite_sequence" VALUES('braces',2);
INSERT INTO "sqlite_sequence" VALUES('setups',5);
INSERT INTO "sqlite_sequence" VALUES('fixtures',10);
INSERT INTO "sqlite_sequence" VALUES('corals',1);
INSERT INTO "sqlite_sequence" VALUES('edits',6);
INSERT INTO "sqlite_sequence" VALUES('changes',8);
COMMIT;

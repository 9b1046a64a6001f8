BEGIN TRANSACTION;
CREATE TABLE blobs (
    hash TEXT PRIMARY KEY,
    data BLOB NOT NULL
) STRICT;
CREATE TABLE braces (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    tank_id INTEGER NOT NULL REFERENCES tanks (id),
    x REAL NOT NULL, length REAL NOT NULL, y REAL NOT NULL, width REAL NOT NULL
, height REAL) STRICT;
INSERT INTO "braces" VALUES(1,1,5.70000000000000062172e-01,7.99999999999999600319e-02,0.0,0.6096,NULL);
INSERT INTO "braces" VALUES(2,2,5.70000000000000062172e-01,7.99999999999999600319e-02,0.0,0.6096,NULL);
CREATE TABLE brushed_rock (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    tank_id INTEGER NOT NULL REFERENCES tanks (id),
    key TEXT NOT NULL
) STRICT;
CREATE TABLE burning_hours (
    id INTEGER PRIMARY KEY,
    tank_id INTEGER NOT NULL REFERENCES tanks (id),
    fixture TEXT NOT NULL,
    day TEXT NOT NULL,
    hours REAL NOT NULL
) STRICT;
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
INSERT INTO "change_plans" VALUES(1,1,'To fill and halide','With fill and halide','Balanced','match','running',0.15,7,1.0,0.0,'');
CREATE TABLE changes (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    edit_id INTEGER NOT NULL REFERENCES edits (id) ON DELETE CASCADE,
    table_name TEXT NOT NULL,
    row_id INTEGER NOT NULL,
    before TEXT,
    after TEXT
) STRICT;
INSERT INTO "changes" VALUES(1,1,'tanks',1,'{"id": 1, "removed": 1, "name": "Kept from before", "length": 1.2192, "width": 0.6096, "water_depth": 0.55, "rim_height": 0.03, "rim_inset": 0.0, "room_height": 0.9, "sand": 0.03, "sand_flow": "", "attenuation": 0.06, "refractive_index": 1.34, "left_kind": "plain", "left_factor": 0.3, "right_kind": "plain", "right_factor": 0.3, "front_kind": "glass", "front_factor": 0.85, "back_kind": "plain", "back_factor": 0.08, "lps_low": 75.0, "lps_high": 150.0, "sps_low": 250.0, "sps_high": 350.0, "ceiling": 500.0, "goal": "sps", "school": "strict", "hours": 9.0, "price": 0.3, "currency": "EUR", "sand_albedo": 0.3, "rock_albedo": 0.1, "cover": 1.0, "water_kind": "sea", "temperature": 25.0, "salinity": 35.0, "yellowing": 0.05, "ripple": 0.0, "colony_shade": 0, "volts": 230.0, "breaker": 16.0, "others": 200.0, "lead": 0.0, "stand": 1.3, "eye": 1.2, "away": 2.0, "gap": 0.06}','{"id": 1, "removed": 0, "name": "Kept from before", "length": 1.2192, "width": 0.6096, "water_depth": 0.55, "rim_height": 0.03, "rim_inset": 0.0, "room_height": 0.9, "sand": 0.03, "sand_flow": "", "attenuation": 0.06, "refractive_index": 1.34, "left_kind": "plain", "left_factor": 0.3, "right_kind": "plain", "right_factor": 0.3, "front_kind": "glass", "front_factor": 0.85, "back_kind": "plain", "back_factor": 0.08, "lps_low": 75.0, "lps_high": 150.0, "sps_low": 250.0, "sps_high": 350.0, "ceiling": 500.0, "goal": "sps", "school": "strict", "hours": 9.0, "price": 0.3, "currency": "EUR", "sand_albedo": 0.3, "rock_albedo": 0.1, "cover": 1.0, "water_kind": "sea", "temperature": 25.0, "salinity": 35.0, "yellowing": 0.05, "ripple": 0.0, "colony_shade": 0, "volts": 230.0, "breaker": 16.0, "others": 200.0, "lead": 0.0, "stand": 1.3, "eye": 1.2, "away": 2.0, "gap": 0.06}');
INSERT INTO "changes" VALUES(2,2,'fixtures',1,'{"id": 1, "setup_id": 1, "name": "Left module", "kind": "led_cluster", "ppf": 220.0, "fwhm": 1.9198621771937625, "length": 0.14, "width": 0.14, "x": 0.40640000000000004, "y": 0.3048, "height": 0.3048, "turn": 0.0, "output": 0.7, "watts": 115.0, "dimmable": 1, "roll": 0.0, "pitch": 0.0, "lobe": null, "frame": "", "condition": 1.0, "channels": null, "levels": null, "weight": 0.0}','{"id": 1, "setup_id": 1, "name": "Left module", "kind": "led_cluster", "ppf": 220.0, "fwhm": 1.9198621771937625, "length": 0.14, "width": 0.14, "x": 0.4, "y": 0.3048, "height": 0.3048, "turn": 0.0, "output": 0.7, "watts": 115.0, "dimmable": 1, "roll": 0.0, "pitch": 0.0, "lobe": null, "frame": "", "condition": 1.0, "channels": null, "levels": null, "weight": 0.0}');
INSERT INTO "changes" VALUES(3,3,'setups',3,NULL,'{"id": 3, "tank_id": 1, "name": "Balanced, copy", "in_use": 0}');
INSERT INTO "changes" VALUES(4,3,'fixtures',5,NULL,'{"id": 5, "setup_id": 3, "name": "Left module", "kind": "led_cluster", "ppf": 220.0, "fwhm": 1.9198621771937625, "length": 0.14, "width": 0.14, "x": 0.4, "y": 0.3048, "height": 0.3048, "turn": 0.0, "output": 0.7, "watts": 115.0, "dimmable": 1, "roll": 0.0, "pitch": 0.0, "lobe": null, "frame": "", "condition": 1.0, "channels": null, "levels": null, "weight": 0.0}');
INSERT INTO "changes" VALUES(5,3,'fixtures',6,NULL,'{"id": 6, "setup_id": 3, "name": "Right module", "kind": "led_cluster", "ppf": 220.0, "fwhm": 1.9198621771937625, "length": 0.14, "width": 0.14, "x": 0.8128000000000001, "y": 0.3048, "height": 0.3048, "turn": 0.0, "output": 0.7, "watts": 115.0, "dimmable": 1, "roll": 0.0, "pitch": 0.0, "lobe": null, "frame": "", "condition": 1.0, "channels": null, "levels": null, "weight": 0.0}');
INSERT INTO "changes" VALUES(6,4,'corals',1,'{"id": 1, "tank_id": 1, "name": "Acropora tenuis", "coral_group": "sps", "par_low": 230.0, "par_high": 380.0, "flow": "high", "aggression": "moderate", "reach": 0.02, "size": 0.2, "note": "", "x": 0.6, "y": 0.35000000000000003, "depth": 0.27}','{"id": 1, "tank_id": 1, "name": "Acropora tenuis", "coral_group": "sps", "par_low": 230.0, "par_high": 380.0, "flow": "high", "aggression": "moderate", "reach": 0.02, "size": 0.2, "note": "", "x": null, "y": null, "depth": null}');
INSERT INTO "changes" VALUES(7,5,'tanks',2,'{"id": 2, "removed": 1, "name": "Kept from before", "length": 1.2192, "width": 0.6096, "water_depth": 0.55, "rim_height": 0.03, "rim_inset": 0.0, "room_height": 0.9, "sand": 0.03, "sand_flow": "", "attenuation": 0.06, "refractive_index": 1.34, "left_kind": "plain", "left_factor": 0.3, "right_kind": "plain", "right_factor": 0.3, "front_kind": "glass", "front_factor": 0.85, "back_kind": "plain", "back_factor": 0.08, "lps_low": 75.0, "lps_high": 150.0, "sps_low": 250.0, "sps_high": 350.0, "ceiling": 500.0, "goal": "sps", "school": "strict", "hours": 9.0, "price": 0.3, "currency": "EUR", "sand_albedo": 0.3, "rock_albedo": 0.1, "cover": 1.0, "water_kind": "sea", "temperature": 25.0, "salinity": 35.0, "yellowing": 0.05, "ripple": 0.0, "colony_shade": 0, "volts": 230.0, "breaker": 16.0, "others": 200.0, "lead": 0.0, "stand": 1.3, "eye": 1.2, "away": 2.0, "gap": 0.06}','{"id": 2, "removed": 0, "name": "Kept from before", "length": 1.2192, "width": 0.6096, "water_depth": 0.55, "rim_height": 0.03, "rim_inset": 0.0, "room_height": 0.9, "sand": 0.03, "sand_flow": "", "attenuation": 0.06, "refractive_index": 1.34, "left_kind": "plain", "left_factor": 0.3, "right_kind": "plain", "right_factor": 0.3, "front_kind": "glass", "front_factor": 0.85, "back_kind": "plain", "back_factor": 0.08, "lps_low": 75.0, "lps_high": 150.0, "sps_low": 250.0, "sps_high": 350.0, "ceiling": 500.0, "goal": "sps", "school": "strict", "hours": 9.0, "price": 0.3, "currency": "EUR", "sand_albedo": 0.3, "rock_albedo": 0.1, "cover": 1.0, "water_kind": "sea", "temperature": 25.0, "salinity": 35.0, "yellowing": 0.05, "ripple": 0.0, "colony_shade": 0, "volts": 230.0, "breaker": 16.0, "others": 200.0, "lead": 0.0, "stand": 1.3, "eye": 1.2, "away": 2.0, "gap": 0.06}');
INSERT INTO "changes" VALUES(8,6,'tanks',2,'{"id": 2, "removed": 0, "name": "Kept from before", "length": 1.2192, "width": 0.6096, "water_depth": 0.55, "rim_height": 0.03, "rim_inset": 0.0, "room_height": 0.9, "sand": 0.03, "sand_flow": "", "attenuation": 0.06, "refractive_index": 1.34, "left_kind": "plain", "left_factor": 0.3, "right_kind": "plain", "right_factor": 0.3, "front_kind": "glass", "front_factor": 0.85, "back_kind": "plain", "back_factor": 0.08, "lps_low": 75.0, "lps_high": 150.0, "sps_low": 250.0, "sps_high": 350.0, "ceiling": 500.0, "goal": "sps", "school": "strict", "hours": 9.0, "price": 0.3, "currency": "EUR", "sand_albedo": 0.3, "rock_albedo": 0.1, "cover": 1.0, "water_kind": "sea", "temperature": 25.0, "salinity": 35.0, "yellowing": 0.05, "ripple": 0.0, "colony_shade": 0, "volts": 230.0, "breaker": 16.0, "others": 200.0, "lead": 0.0, "stand": 1.3, "eye": 1.2, "away": 2.0, "gap": 0.06}','{"id": 2, "removed": 1, "name": "Kept from before", "length": 1.2192, "width": 0.6096, "water_depth": 0.55, "rim_height": 0.03, "rim_inset": 0.0, "room_height": 0.9, "sand": 0.03, "sand_flow": "", "attenuation": 0.06, "refractive_index": 1.34, "left_kind": "plain", "left_factor": 0.3, "right_kind": "plain", "right_factor": 0.3, "front_kind": "glass", "front_factor": 0.85, "back_kind": "plain", "back_factor": 0.08, "lps_low": 75.0, "lps_high": 150.0, "sps_low": 250.0, "sps_high": 350.0, "ceiling": 500.0, "goal": "sps", "school": "strict", "hours": 9.0, "price": 0.3, "currency": "EUR", "sand_albedo": 0.3, "rock_albedo": 0.1, "cover": 1.0, "water_kind": "sea", "temperature": 25.0, "salinity": 35.0, "yellowing": 0.05, "ripple": 0.0, "colony_shade": 0, "volts": 230.0, "breaker": 16.0, "others": 200.0, "lead": 0.0, "stand": 1.3, "eye": 1.2, "away": 2.0, "gap": 0.06}');
INSERT INTO "changes" VALUES(9,3,'braces',3,'{"id":3,"tank_id":1,"height":0.2,"x":0.9,"length":0.0499999999999999,"y":0.0,"width":0.6}',NULL);
CREATE TABLE cleaning_rhythms (
    id INTEGER PRIMARY KEY,
    tank_id INTEGER NOT NULL REFERENCES tanks (id),
    part TEXT NOT NULL,
    since TEXT NOT NULL,
    every INTEGER NOT NULL DEFAULT 30,
    loss REAL NOT NULL DEFAULT 0.04,
    fixture TEXT NOT NULL DEFAULT ''
) STRICT;
CREATE TABLE cleanings (
    id INTEGER PRIMARY KEY,
    tank_id INTEGER NOT NULL REFERENCES tanks (id),
    day TEXT NOT NULL,
    part TEXT NOT NULL,
    fixture TEXT NOT NULL DEFAULT '',
    cleaner TEXT NOT NULL DEFAULT '',
    par_before REAL,
    par_after REAL,
    note TEXT NOT NULL DEFAULT ''
) STRICT;
CREATE TABLE coral_kinds (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    name TEXT NOT NULL,
    coral_group TEXT NOT NULL,
    par_low REAL NOT NULL, par_high REAL NOT NULL,
    flow TEXT NOT NULL,
    aggression TEXT NOT NULL,
    reach REAL NOT NULL,
    size REAL NOT NULL,
    note TEXT NOT NULL,
    form TEXT NOT NULL,
    height REAL NOT NULL,
    growth REAL NOT NULL,
    on_top INTEGER NOT NULL, on_face INTEGER NOT NULL, on_sand INTEGER NOT NULL, under INTEGER NOT NULL,
    on_pane INTEGER NOT NULL, untidy INTEGER NOT NULL,
    overgrows INTEGER NOT NULL,
    food INTEGER NOT NULL,
    light TEXT NOT NULL,
    flow_form TEXT NOT NULL,
    fixing TEXT NOT NULL,
    light_basis TEXT NOT NULL, flow_basis TEXT NOT NULL, reach_basis TEXT NOT NULL, growth_basis TEXT NOT NULL,
    source TEXT NOT NULL
, allelopathic INTEGER NOT NULL DEFAULT 0) STRICT;
CREATE TABLE coral_notes (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    coral_id INTEGER NOT NULL,
    kind TEXT NOT NULL,
    day TEXT NOT NULL,
    time TEXT,
    polyps TEXT NOT NULL,
    tissue TEXT NOT NULL,
    colour TEXT NOT NULL,
    x REAL, y REAL, depth REAL,
    par REAL,
    setup TEXT NOT NULL,
    picture TEXT NOT NULL,
    note TEXT NOT NULL
) STRICT;
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
    x REAL, y REAL, depth REAL, wish_pinned INTEGER NOT NULL DEFAULT 0, wish_show INTEGER NOT NULL DEFAULT 0, wish_near TEXT NOT NULL DEFAULT '', wish_far TEXT NOT NULL DEFAULT '', course_bought TEXT, course_origin TEXT NOT NULL DEFAULT '', course_had REAL, course_patience TEXT NOT NULL DEFAULT 'week', course_lost TEXT, course_across REAL,
    CHECK ((x IS NULL) = (y IS NULL) AND (y IS NULL) = (depth IS NULL))
) STRICT;
INSERT INTO "corals" VALUES(1,1,'Acropora tenuis','sps',230.0,380.0,'high','moderate',0.02,0.2,'',0.6,3.50000000000000033306e-01,0.27,0,0,'','',NULL,'',NULL,'week',NULL,NULL);
CREATE TABLE day_points (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    group_id INTEGER NOT NULL REFERENCES light_groups (id),
    time TEXT NOT NULL,
    level REAL NOT NULL,
    channels TEXT NOT NULL DEFAULT ''
) STRICT;
INSERT INTO "day_points" VALUES(1,1,'09:30:00',0.0,'');
INSERT INTO "day_points" VALUES(2,1,'10:00:00',1.0,'');
INSERT INTO "day_points" VALUES(3,1,'18:00:00',1.0,'');
INSERT INTO "day_points" VALUES(4,1,'18:30:00',0.0,'');
INSERT INTO "day_points" VALUES(5,2,'09:30:00',1.0,'');
INSERT INTO "day_points" VALUES(6,2,'18:30:00',0.0,'');
CREATE TABLE devices (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    name TEXT NOT NULL,
    hash TEXT NOT NULL UNIQUE,
    paired TEXT NOT NULL,
    seen TEXT NOT NULL
, trusted INTEGER NOT NULL DEFAULT 0 CHECK (trusted IN (0, 1))) STRICT;
CREATE TABLE drafts (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    fixture TEXT NOT NULL,
    source TEXT NOT NULL
) STRICT;
CREATE TABLE edits (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    scope TEXT NOT NULL,
    label TEXT NOT NULL,
    undone INTEGER NOT NULL DEFAULT 0 CHECK (undone IN (0, 1)),
    at TEXT NOT NULL DEFAULT (strftime('%Y-%m-%dT%H:%M:%SZ', 'now'))
) STRICT;
INSERT INTO "edits" VALUES(1,'tanks','import Kept from before',0,'2026-11-25T10:34:48Z');
INSERT INTO "edits" VALUES(2,'tank:1','move Left module',0,'2026-11-25T10:34:48Z');
INSERT INTO "edits" VALUES(3,'tank:1','copy setup Balanced',0,'2026-11-25T10:34:48Z');
INSERT INTO "edits" VALUES(4,'tank:1','take up Acropora tenuis',1,'2026-11-25T10:34:48Z');
INSERT INTO "edits" VALUES(5,'tanks','import Kept from before',0,'2026-11-25T10:34:48Z');
INSERT INTO "edits" VALUES(6,'tanks','remove Kept from before',0,'2026-11-25T10:34:48Z');
CREATE TABLE events (
    id INTEGER PRIMARY KEY,
    tank_id INTEGER NOT NULL REFERENCES tanks (id),
    kind TEXT NOT NULL,
    day TEXT NOT NULL,
    time TEXT,
    words TEXT NOT NULL DEFAULT '',
    fixture TEXT NOT NULL DEFAULT '',
    setup_name TEXT NOT NULL DEFAULT '',
    lit TEXT NOT NULL DEFAULT '',
    picture TEXT NOT NULL DEFAULT '',
    state TEXT NOT NULL DEFAULT ''
) STRICT;
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
, roll REAL NOT NULL DEFAULT 0, pitch REAL NOT NULL DEFAULT 0, lobe TEXT, frame TEXT NOT NULL DEFAULT '', condition REAL NOT NULL DEFAULT 1, channels TEXT, levels TEXT, weight REAL NOT NULL DEFAULT 0, wear TEXT, basis TEXT NOT NULL DEFAULT 'typical', light_group TEXT NOT NULL DEFAULT '', channel_reach TEXT NOT NULL DEFAULT '', most_watts REAL NOT NULL DEFAULT 0) STRICT;
INSERT INTO "fixtures" VALUES(1,1,'Left module','led_cluster',220.0,1.91986217719376250911e+00,0.14,0.14,0.4,0.3048,0.3048,0.0,0.7,115.0,1,0.0,0.0,NULL,'',1.0,NULL,NULL,0.0,NULL,'typical','','',0.0);
INSERT INTO "fixtures" VALUES(2,1,'Right module','led_cluster',220.0,1.91986217719376250911e+00,0.14,0.14,8.12800000000000077982e-01,0.3048,0.3048,0.0,0.7,115.0,1,0.0,0.0,NULL,'',1.0,NULL,NULL,0.0,NULL,'typical','','',0.0);
INSERT INTO "fixtures" VALUES(3,2,'Bar','led_bar',90.0,1.74532925199432953355e+00,1.1,0.03,0.6096,0.12,0.22,0.0,1.0,50.0,1,0.0,0.0,NULL,'',1.0,NULL,NULL,0.0,NULL,'typical','LED','',0.0);
INSERT INTO "fixtures" VALUES(4,2,'Halide','halide',230.0,1.91986217719376250911e+00,0.3,0.3,0.6096,3.50000000000000033306e-01,0.34,0.0,1.0,275.0,0,0.0,0.0,NULL,'',1.0,NULL,NULL,0.0,NULL,'typical','Halides','',0.0);
INSERT INTO "fixtures" VALUES(5,3,'Left module','led_cluster',220.0,1.91986217719376250911e+00,0.14,0.14,0.4,0.3048,0.3048,0.0,0.7,115.0,1,0.0,0.0,NULL,'',1.0,NULL,NULL,0.0,NULL,'typical','','',0.0);
INSERT INTO "fixtures" VALUES(6,3,'Right module','led_cluster',220.0,1.91986217719376250911e+00,0.14,0.14,8.12800000000000077982e-01,0.3048,0.3048,0.0,0.7,115.0,1,0.0,0.0,NULL,'',1.0,NULL,NULL,0.0,NULL,'typical','','',0.0);
INSERT INTO "fixtures" VALUES(7,4,'Left module','led_cluster',220.0,1.91986217719376250911e+00,0.14,0.14,4.06400000000000038991e-01,0.3048,0.3048,0.0,0.7,115.0,1,0.0,0.0,NULL,'',1.0,NULL,NULL,0.0,NULL,'typical','','',0.0);
INSERT INTO "fixtures" VALUES(8,4,'Right module','led_cluster',220.0,1.91986217719376250911e+00,0.14,0.14,8.12800000000000077982e-01,0.3048,0.3048,0.0,0.7,115.0,1,0.0,0.0,NULL,'',1.0,NULL,NULL,0.0,NULL,'typical','','',0.0);
INSERT INTO "fixtures" VALUES(9,5,'Bar','led_bar',90.0,1.74532925199432953355e+00,1.1,0.03,0.6096,0.12,0.22,0.0,1.0,50.0,1,0.0,0.0,NULL,'',1.0,NULL,NULL,0.0,NULL,'typical','','',0.0);
INSERT INTO "fixtures" VALUES(10,5,'Halide','halide',230.0,1.91986217719376250911e+00,0.3,0.3,0.6096,3.50000000000000033306e-01,0.34,0.0,1.0,275.0,0,0.0,0.0,NULL,'',1.0,NULL,NULL,0.0,NULL,'typical','','',0.0);
CREATE TABLE flow_fields (
    tank_id INTEGER NOT NULL REFERENCES tanks(id),
    key TEXT NOT NULL,
    field BLOB NOT NULL,
    solved INTEGER PRIMARY KEY
) STRICT;
CREATE TABLE flow_marks (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    tank_id INTEGER NOT NULL REFERENCES tanks (id),
    x REAL NOT NULL, y REAL NOT NULL, depth REAL NOT NULL,
    radius REAL NOT NULL,
    flow TEXT NOT NULL
) STRICT;
CREATE TABLE kept_free (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    tank_id INTEGER NOT NULL REFERENCES tanks (id),
    name TEXT NOT NULL,
    x REAL NOT NULL, y REAL NOT NULL, length REAL NOT NULL, width REAL NOT NULL
) STRICT;
CREATE TABLE lamps (
    id INTEGER PRIMARY KEY,
    tank_id INTEGER NOT NULL REFERENCES tanks (id),
    fixture TEXT NOT NULL,
    label TEXT NOT NULL,
    installed TEXT NOT NULL,
    taken_out TEXT,
    used REAL NOT NULL DEFAULT 0,
    life_hours REAL,
    life_months REAL,
    light_left REAL NOT NULL DEFAULT 0.85,
    light_halfway REAL,
    counted_from TEXT,
    lead_days INTEGER NOT NULL DEFAULT 14,
    note TEXT NOT NULL DEFAULT ''
) STRICT;
CREATE TABLE light_groups (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    setup_id INTEGER NOT NULL REFERENCES setups (id),
    name TEXT NOT NULL,
    ramp TEXT NOT NULL
) STRICT;
INSERT INTO "light_groups" VALUES(1,2,'LED','linear');
INSERT INTO "light_groups" VALUES(2,2,'Halides','switch');
CREATE TABLE migrations (number INTEGER PRIMARY KEY, name TEXT NOT NULL, hash TEXT NOT NULL, at TEXT NOT NULL) STRICT;
INSERT INTO "migrations" VALUES(1,'0001_tanks.sql','9336c3a06c20709a294cb95e86a56c5d046275334f68cd7f8948cdded32638e6','2026-11-25 10:34:48');
INSERT INTO "migrations" VALUES(2,'0002_tilt_and_lobes.sql','37fa0ce11612b3e763a4133dc195e57a988583d51aaf8c88582248f23120ccd5','2026-11-25 10:34:48');
INSERT INTO "migrations" VALUES(3,'0003_albedo.sql','7f44ac77fd38fae90823abfefa308b7f5baff6f58af717c0be564afc9db84594','2026-11-25 10:34:48');
INSERT INTO "migrations" VALUES(4,'0004_shelf.sql','5bfb21efd97ca5c080f48bbba533cd8ea42fa1b82498b041cde71ce229ac998b','2026-11-25 10:34:48');
INSERT INTO "migrations" VALUES(5,'0005_covers.sql','b199fa08e345777a944bc496a45a018933439d487089d98c4c463a412e8927a8','2026-11-25 10:34:48');
INSERT INTO "migrations" VALUES(6,'0006_water_spectra.sql','d380e000ca414b4b245b7de9950156aaae37873cc0eb4dd89d1f4abc5ce9daad','2026-11-25 10:34:48');
INSERT INTO "migrations" VALUES(7,'0007_searches.sql','61192d7868bf3b90cc4cd390b29ed3d16184137bb2837b6f9c1b00791307e51b','2026-11-25 10:34:48');
INSERT INTO "migrations" VALUES(8,'0008_wanted_site_weight.sql','6317782499e9b3d400a15feb8659e71a0f4784cdbbf60218a968918713e0cc51','2026-11-25 10:34:48');
INSERT INTO "migrations" VALUES(9,'0009_drafts.sql','a502dc2bbf2fdcb53dac49a096b534622fb3e67a6aa491c239751d0a2bef0ed4','2026-11-25 12:38:24');
INSERT INTO "migrations" VALUES(10,'0010_intent_and_wear.sql','323bfcd3096e69a551b1603a709090050daef77882c1fd32425a4b9bc1776047','2026-11-25 15:53:57');
INSERT INTO "migrations" VALUES(11,'0011_braces_and_blobs.sql','85e62cd3d369aac71cdc9d6aad7b705b8cc5d7345e78f26c039bb4c2ae851e3f','2026-11-25 19:38:53');
INSERT INTO "migrations" VALUES(12,'0012_surveys_and_devices.sql','92882a500365a1dd1709a5dd518ffba22ca5326839cd52ea848bd5fe1eae3929','2026-11-25 22:16:46');
INSERT INTO "migrations" VALUES(13,'0013_kinds_of_survey.sql','c2379fd1546f2ece8a325830735ace55f8d85ad761497cfe9d1f32a2b6f081b6','2026-11-26 04:48:20');
INSERT INTO "migrations" VALUES(14,'0014_places.sql','15bcba8a7d848126ba64cc7203ebf3881130f964c126339dc92b3b5765440ccc','2026-11-29 14:44:26');
INSERT INTO "migrations" VALUES(15,'0015_trust.sql','ac481d6e2b165b29735d5850aaaac5067b07d6cee4cb86c90beaa7f15a765401','2026-11-29 18:21:25');
INSERT INTO "migrations" VALUES(16,'0016_shimmer.sql','ade86d3fdd950071e83b7696080d4564e4bec838247aaec9089c5315bf95e1f0','2026-11-29 22:58:45');
INSERT INTO "migrations" VALUES(17,'0017_allelopathy.sql','339911d818224d7a50a4da8fa7065f366287f7020d842ca745342d4f86067c88','2026-11-30 12:04:23');
INSERT INTO "migrations" VALUES(18,'0018_flow_fields.sql','4e18189170601dd6064bfd26943a4f8fdf2d518a2c2063f84c3e60fb2fc964e8','2026-11-30 12:04:23');
INSERT INTO "migrations" VALUES(19,'0019_schedule.sql','262cf5bcc21079163c69361aa2b8ca03a564b993065264596d413c1384f514ca','2026-11-30 18:57:15');
INSERT INTO "migrations" VALUES(20,'0020_change_plans.sql','8e04f3e47ad4bbf4e9e876009568016575657ad331d108aa8c488d6f7d3148d3','2026-11-30 18:57:15');
INSERT INTO "migrations" VALUES(21,'0021_presets.sql','72c84c0363e6009c7d2acb50677e6eccb96feef4347c86f32ea199532030bb83','2026-11-30 18:57:15');
INSERT INTO "migrations" VALUES(22,'0022_tariff.sql','e034633f9f079ee8bd98a0b999e3a6c176d5a28df7b1ab5f32c39ba352ac2951','2026-11-30 18:57:15');
INSERT INTO "migrations" VALUES(23,'0023_channel_reach.sql','79de08527a4e44b9137db4b108b63386248afd6c1ea5f227fe93f24f34f26fe7','2026-11-30 18:57:15');
INSERT INTO "migrations" VALUES(24,'0024_upkeep.sql','5b3e1fd2635f22e4032d4c1bf7386aa3aaa19b01fdd1a2996df3de47fb832041','2026-12-01 08:18:23');
INSERT INTO "migrations" VALUES(25,'0025_size.sql','33d6f8aeed52ab8d9c71661dcea51e9d2c7284d64197e63da047c0b1ee4a30ff','2026-12-01 08:18:23');
INSERT INTO "migrations" VALUES(26,'0026_natural_rock.sql','42fd66fef2decf4e65df5ce1802f87d0b616edc9642dcd7cadeeb4a3150686cb','2026-12-01 08:18:23');
CREATE TABLE natural_rocks (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    tank_id INTEGER NOT NULL REFERENCES tanks (id),
    name TEXT NOT NULL,
    mesh_key TEXT NOT NULL,
    x REAL NOT NULL, y REAL NOT NULL, base REAL NOT NULL,
    turn REAL NOT NULL, tilt_back REAL NOT NULL, tilt_right REAL NOT NULL,
    scale REAL NOT NULL,
    flow TEXT NOT NULL,
    origin TEXT NOT NULL
) STRICT;
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
, condition REAL NOT NULL DEFAULT 1, channels TEXT, levels TEXT, weight REAL NOT NULL DEFAULT 0, price REAL NOT NULL DEFAULT 0, mount TEXT NOT NULL DEFAULT '', wear TEXT, basis TEXT NOT NULL DEFAULT 'maker', light_group TEXT NOT NULL DEFAULT '', channel_reach TEXT NOT NULL DEFAULT '', most_watts REAL NOT NULL DEFAULT 0) STRICT;
CREATE TABLE pairings (
    hash TEXT PRIMARY KEY,
    until TEXT NOT NULL
) STRICT;
CREATE TABLE perches (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    tank_id INTEGER NOT NULL REFERENCES tanks (id),
    name TEXT NOT NULL,
    x REAL NOT NULL, y REAL NOT NULL, depth REAL NOT NULL,
    facing TEXT NOT NULL,
    turn REAL NOT NULL,
    holds TEXT NOT NULL
) STRICT;
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
CREATE TABLE plan_starts (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    plan_id INTEGER NOT NULL REFERENCES change_plans (id),
    light_group TEXT NOT NULL,
    level REAL NOT NULL
) STRICT;
CREATE TABLE plan_steps (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    plan_id INTEGER NOT NULL REFERENCES change_plans (id),
    day TEXT NOT NULL,
    part REAL NOT NULL,
    scale REAL NOT NULL
) STRICT;
INSERT INTO "plan_steps" VALUES(1,1,'2026-11-20',0.5,1.0);
INSERT INTO "plan_steps" VALUES(2,1,'2026-11-27',1.0,1.0);
CREATE TABLE presets (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    tank_id INTEGER NOT NULL REFERENCES tanks (id),
    name TEXT NOT NULL,
    spectrum TEXT NOT NULL,
    channels TEXT NOT NULL,
    levels TEXT NOT NULL,
    output REAL NOT NULL
) STRICT;
CREATE TABLE pumps (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    tank_id INTEGER NOT NULL REFERENCES tanks (id),
    name TEXT NOT NULL,
    kind TEXT NOT NULL,
    x REAL NOT NULL, y REAL NOT NULL, depth REAL NOT NULL,
    turn REAL NOT NULL, tilt REAL NOT NULL,
    rate REAL NOT NULL,
    outlet REAL NOT NULL,
    programme TEXT NOT NULL,
    low REAL NOT NULL
) STRICT;
CREATE TABLE racks (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    tank_id INTEGER NOT NULL REFERENCES tanks (id),
    name TEXT NOT NULL,
    x REAL NOT NULL, y REAL NOT NULL, length REAL NOT NULL, width REAL NOT NULL,
    depth REAL NOT NULL,
    passes REAL NOT NULL
) STRICT;
CREATE TABLE rocks (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    tank_id INTEGER NOT NULL REFERENCES tanks (id),
    name TEXT NOT NULL,
    x REAL NOT NULL, y REAL NOT NULL, base REAL NOT NULL,
    length REAL NOT NULL, width REAL NOT NULL, height REAL NOT NULL,
    flow TEXT NOT NULL
, form TEXT NOT NULL DEFAULT 'block') STRICT;
INSERT INTO "rocks" VALUES(1,1,'Ledge',0.4,0.25,0.2,0.4,0.2,0.08,'medium','block');
INSERT INTO "rocks" VALUES(2,2,'Ledge',0.4,0.25,0.2,0.4,0.2,0.08,'medium','block');
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
CREATE TABLE setups (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    tank_id INTEGER NOT NULL REFERENCES tanks (id),
    name TEXT NOT NULL,
    in_use INTEGER NOT NULL CHECK (in_use IN (0, 1))
, purpose TEXT NOT NULL DEFAULT 'goal', top_low REAL NOT NULL DEFAULT 0, top_high REAL NOT NULL DEFAULT 0, strong_end REAL NOT NULL DEFAULT 0, shimmer TEXT NOT NULL DEFAULT 'any') STRICT;
INSERT INTO "setups" VALUES(1,1,'Balanced',1,'goal',0.0,0.0,0.0,'any');
INSERT INTO "setups" VALUES(2,1,'With fill and halide',0,'goal',0.0,0.0,0.0,'any');
INSERT INTO "setups" VALUES(3,1,'Balanced, copy',0,'goal',0.0,0.0,0.0,'any');
INSERT INTO "setups" VALUES(4,2,'Balanced',1,'goal',0.0,0.0,0.0,'any');
INSERT INTO "setups" VALUES(5,2,'With fill and halide',0,'goal',0.0,0.0,0.0,'any');
CREATE TABLE spares (
    id INTEGER PRIMARY KEY,
    tank_id INTEGER NOT NULL REFERENCES tanks (id),
    name TEXT NOT NULL,
    count INTEGER NOT NULL DEFAULT 1
) STRICT;
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
, seen TEXT NOT NULL DEFAULT '') STRICT;
INSERT INTO "spots" VALUES(1,1,'Under A',0.3,0.3,0.15,'under a fixture','[251.0, 247.0]','','14:05:00',1.0,1,'',0,'dark');
INSERT INTO "spots" VALUES(2,1,'Sand',0.6,0.2,0.3,'','[]','',NULL,1.0,1,'',1,'');
INSERT INTO "spots" VALUES(3,2,'Under A',0.3,0.3,0.15,'under a fixture','[251.0, 247.0]','','14:05:00',1.0,1,'',0,'');
INSERT INTO "spots" VALUES(4,2,'Sand',0.6,0.2,0.3,'','[]','',NULL,1.0,1,'',1,'');
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
, light_group TEXT NOT NULL DEFAULT '', channel_reach TEXT NOT NULL DEFAULT '', most_watts REAL NOT NULL DEFAULT 0) STRICT;
INSERT INTO "survey_fixtures" VALUES(1,1,'Left module','led_cluster',220.0,1.91986217719376250911e+00,0.14,0.14,0.4,0.3048,0.3048,0.0,0.0,0.0,0.7,115.0,1,NULL,NULL,NULL,'',1.0,0.0,NULL,'typical','','',0.0);
INSERT INTO "survey_fixtures" VALUES(2,1,'Right module','led_cluster',220.0,1.91986217719376250911e+00,0.14,0.14,8.12800000000000077982e-01,0.3048,0.3048,0.0,0.0,0.0,0.7,115.0,1,NULL,NULL,NULL,'',1.0,0.0,NULL,'typical','','',0.0);
INSERT INTO "survey_fixtures" VALUES(3,2,'Left module','led_cluster',220.0,1.91986217719376250911e+00,0.14,0.14,0.4,0.3048,0.3048,0.0,0.0,0.0,0.7,115.0,1,NULL,NULL,NULL,'',1.0,0.0,NULL,'typical','','',0.0);
INSERT INTO "survey_fixtures" VALUES(4,2,'Right module','led_cluster',220.0,1.91986217719376250911e+00,0.14,0.14,8.12800000000000077982e-01,0.3048,0.3048,0.0,0.0,0.0,0.7,115.0,1,NULL,NULL,NULL,'',1.0,0.0,NULL,'typical','','',0.0);
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
, kind TEXT NOT NULL DEFAULT '', colonies TEXT) STRICT;
INSERT INTO "surveys" VALUES(1,1,'Before','2026-10-03','Balanced','','on','',1.0,'',NULL,0,'cloudy',NULL);
INSERT INTO "surveys" VALUES(2,1,'Balance 1, round 1','2026-10-03','Balanced','Balance 1','on','',1.0,'',NULL,0,'balance',NULL);
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
, sand_albedo REAL NOT NULL DEFAULT 0.3, rock_albedo REAL NOT NULL DEFAULT 0.1, cover REAL NOT NULL DEFAULT 1, water_kind TEXT NOT NULL DEFAULT 'plain', temperature REAL NOT NULL DEFAULT 25, salinity REAL NOT NULL DEFAULT 35, yellowing REAL NOT NULL DEFAULT 0.05, ripple REAL NOT NULL DEFAULT 0, colony_shade INTEGER NOT NULL DEFAULT 0 CHECK (colony_shade IN (0, 1)), volts REAL NOT NULL DEFAULT 230, breaker REAL NOT NULL DEFAULT 16, others REAL NOT NULL DEFAULT 200, lead REAL NOT NULL DEFAULT 0, stand REAL NOT NULL DEFAULT 1.3, eye REAL NOT NULL DEFAULT 1.2, away REAL NOT NULL DEFAULT 2.0, gap REAL NOT NULL DEFAULT 0.06, lights_out TEXT, cheap_price REAL, cheap_from TEXT, cheap_to TEXT) STRICT;
INSERT INTO "tanks" VALUES(1,0,'Kept from before',1.2192,0.6096,0.55,0.03,0.0,0.9,0.03,'',0.06,1.34,'plain',0.3,'plain',0.3,'glass',0.85,'plain',0.08,75.0,150.0,250.0,350.0,500.0,'sps','strict',9.0,0.3,'EUR',0.3,0.1,1.0,'sea',25.0,35.0,0.05,0.0,0,230.0,16.0,200.0,0.0,1.3,1.2,2.0,0.06,NULL,NULL,NULL,NULL);
INSERT INTO "tanks" VALUES(2,1,'Kept from before',1.2192,0.6096,0.55,0.03,0.0,0.9,0.03,'',0.06,1.34,'plain',0.3,'plain',0.3,'glass',0.85,'plain',0.08,75.0,150.0,250.0,350.0,500.0,'sps','strict',9.0,0.3,'EUR',0.3,0.1,1.0,'sea',25.0,35.0,0.05,0.0,0,230.0,16.0,200.0,0.0,1.3,1.2,2.0,0.06,NULL,NULL,NULL,NULL);
CREATE TABLE wanted (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    tank_id INTEGER NOT NULL REFERENCES tanks (id),
    name TEXT NOT NULL,
    x REAL NOT NULL,
    y REAL NOT NULL,
    length REAL NOT NULL,
    width REAL NOT NULL,
    top REAL NOT NULL,
    bottom REAL NOT NULL,
    low REAL NOT NULL,
    high REAL NOT NULL
) STRICT;
CREATE INDEX braces_of_tank ON braces (tank_id);
CREATE INDEX rocks_of_tank ON rocks (tank_id);
CREATE INDEX setups_of_tank ON setups (tank_id);
CREATE INDEX fixtures_of_setup ON fixtures (setup_id);
CREATE INDEX corals_of_tank ON corals (tank_id);
CREATE INDEX edits_of_scope ON edits (scope, undone, id);
CREATE INDEX changes_of_edit ON changes (edit_id);
CREATE INDEX wanted_of_tank ON wanted (tank_id);
CREATE INDEX searches_of_tank ON searches (tank_id, id);
CREATE INDEX surveys_tank ON surveys (tank_id);
CREATE INDEX spots_survey ON spots (survey_id);
CREATE INDEX survey_fixtures_survey ON survey_fixtures (survey_id);
CREATE INDEX photos_tank ON photos (tank_id);
CREATE INDEX pumps_tank ON pumps (tank_id);
CREATE INDEX flow_marks_tank ON flow_marks (tank_id);
CREATE INDEX perches_tank ON perches (tank_id);
CREATE INDEX racks_tank ON racks (tank_id);
CREATE INDEX kept_free_tank ON kept_free (tank_id);
CREATE INDEX coral_notes_coral ON coral_notes (coral_id, day);
CREATE UNIQUE INDEX flow_fields_of_tank ON flow_fields (tank_id, key);
CREATE INDEX light_groups_setup ON light_groups (setup_id);
CREATE INDEX day_points_group ON day_points (group_id);
CREATE INDEX change_plans_tank ON change_plans (tank_id);
CREATE INDEX plan_starts_plan ON plan_starts (plan_id);
CREATE INDEX plan_steps_plan ON plan_steps (plan_id);
CREATE INDEX presets_tank ON presets (tank_id);
CREATE INDEX lamps_of_tank ON lamps (tank_id);
CREATE INDEX cleaning_rhythms_of_tank ON cleaning_rhythms (tank_id);
CREATE INDEX cleanings_of_tank ON cleanings (tank_id);
CREATE INDEX burning_hours_of_tank ON burning_hours (tank_id);
CREATE INDEX spares_of_tank ON spares (tank_id);
CREATE INDEX events_of_tank ON events (tank_id, day);
CREATE INDEX natural_rocks_tank ON natural_rocks (tank_id);
CREATE INDEX brushed_rock_tank ON brushed_rock (tank_id);
DELETE FROM "sqlite_sequence";
INSERT INTO "sqlite_sequence" VALUES('tanks',2);
INSERT INTO "sqlite_sequence" VALUES('rocks',2);
INSERT INTO "sqlite_sequence" VALUES('braces',3);
INSERT INTO "sqlite_sequence" VALUES('setups',5);
INSERT INTO "sqlite_sequence" VALUES('fixtures',10);
INSERT INTO "sqlite_sequence" VALUES('corals',1);
INSERT INTO "sqlite_sequence" VALUES('edits',6);
INSERT INTO "sqlite_sequence" VALUES('changes',9);
INSERT INTO "sqlite_sequence" VALUES('surveys',2);
INSERT INTO "sqlite_sequence" VALUES('spots',4);
INSERT INTO "sqlite_sequence" VALUES('survey_fixtures',4);
INSERT INTO "sqlite_sequence" VALUES('light_groups',2);
INSERT INTO "sqlite_sequence" VALUES('day_points',6);
INSERT INTO "sqlite_sequence" VALUES('change_plans',1);
INSERT INTO "sqlite_sequence" VALUES('plan_steps',2);
COMMIT;

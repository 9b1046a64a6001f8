-- Share of the light that sand and the tops of rock send back.
ALTER TABLE tanks ADD COLUMN sand_albedo REAL NOT NULL DEFAULT 0.3;
ALTER TABLE tanks ADD COLUMN rock_albedo REAL NOT NULL DEFAULT 0.1;

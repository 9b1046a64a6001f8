-- Hours in which electricity is cheaper.
ALTER TABLE tanks ADD COLUMN cheap_price REAL;
ALTER TABLE tanks ADD COLUMN cheap_from TEXT;
ALTER TABLE tanks ADD COLUMN cheap_to TEXT;

-- Braces by corner, length and width, as everything else that lies in the tank; what was written down for undo, too.
ALTER TABLE braces RENAME COLUMN x0 TO x;
ALTER TABLE braces RENAME COLUMN x1 TO length;
ALTER TABLE braces RENAME COLUMN y0 TO y;
ALTER TABLE braces RENAME COLUMN y1 TO width;
UPDATE braces SET length = length - x, width = width - y;
UPDATE changes SET before = json_remove(json_set(before, '$.x', before ->> '$.x0', '$.length', (before ->> '$.x1') - (before ->> '$.x0'), '$.y', before ->> '$.y0', '$.width', (before ->> '$.y1') - (before ->> '$.y0')), '$.x0', '$.x1', '$.y0', '$.y1') WHERE table_name = 'braces' AND before ->> '$.x1' IS NOT NULL;
UPDATE changes SET after = json_remove(json_set(after, '$.x', after ->> '$.x0', '$.length', (after ->> '$.x1') - (after ->> '$.x0'), '$.y', after ->> '$.y0', '$.width', (after ->> '$.y1') - (after ->> '$.y0')), '$.x0', '$.x1', '$.y0', '$.y1') WHERE table_name = 'braces' AND after ->> '$.x1' IS NOT NULL;
-- Bytes of the keeper's, such as photos to come: each once, under the SHA-256 of its content; rows refer to it as text. Not undone.
CREATE TABLE blobs (
    hash TEXT PRIMARY KEY,
    data BLOB NOT NULL
) STRICT;

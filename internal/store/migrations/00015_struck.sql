-- Every statement can be run twice, see 00001.

-- +goose Up
-- Which entry a strike strikes, to ask for by index: the last zero check of an instrument must not
-- read all entries of its account to learn that it was not struck.
ALTER TABLE entry ADD COLUMN IF NOT EXISTS struck CHAR(36) CHARACTER SET ascii COLLATE ascii_bin
  GENERATED ALWAYS AS (CASE WHEN kind = 'strike' THEN JSON_VALUE(payload, '$.entry') END) VIRTUAL;
CREATE INDEX IF NOT EXISTS entry_struck ON entry (struck, circuit_id);

-- +goose Down
DROP INDEX IF EXISTS entry_struck ON entry;
ALTER TABLE entry DROP COLUMN IF EXISTS struck;

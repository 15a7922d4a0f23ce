-- Every statement can be run twice, see 00001.

-- +goose Up
-- How many photos or reports an entry names; NULL for none. Which of them have not come is asked of the entries of a time.
ALTER TABLE entry ADD COLUMN IF NOT EXISTS photos TINYINT UNSIGNED AS (JSON_LENGTH(envelope, '$.attachments')) VIRTUAL;
CREATE INDEX IF NOT EXISTS entry_photos ON entry (photos, recorded_at);

-- +goose Down
DROP INDEX IF EXISTS entry_photos ON entry;
ALTER TABLE entry DROP COLUMN IF EXISTS photos;

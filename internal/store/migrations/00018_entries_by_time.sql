-- Every statement can be run twice, see 00001.

-- +goose Up
-- What was written in all accounts is read from the newest on.
CREATE INDEX IF NOT EXISTS entry_recorded ON entry (recorded_at, id);

-- +goose Down
DROP INDEX IF EXISTS entry_recorded ON entry;

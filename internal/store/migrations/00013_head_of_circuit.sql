-- Every statement can be run twice, see 00001.

-- +goose Up
-- The head of a chain of entries is stored with the circuit since 00012.
ALTER TABLE unit DROP COLUMN IF EXISTS head_seq, DROP COLUMN IF EXISTS head_hash;

-- +goose Down
ALTER TABLE unit
  ADD COLUMN IF NOT EXISTS head_seq BIGINT UNSIGNED NOT NULL DEFAULT 0,
  ADD COLUMN IF NOT EXISTS head_hash BINARY(32) NOT NULL DEFAULT (REPEAT(CHAR(0), 32));

-- Which mark a person writes before decimals: 'point', 'comma', or '' for a person who is asked.
-- +goose Up
ALTER TABLE person_reading ADD COLUMN IF NOT EXISTS numbers VARCHAR(8) CHARACTER SET ascii NOT NULL DEFAULT '';

-- +goose Down
ALTER TABLE person_reading DROP COLUMN IF EXISTS numbers;

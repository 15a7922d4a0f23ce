-- Every statement can be run twice, see 00001.

-- +goose Up
-- The school of a plan, and how often it has things tested and looked at; NULL
-- asks for nothing.
ALTER TABLE plan
  ADD COLUMN IF NOT EXISTS school ENUM('interval','condition','sealed') NOT NULL DEFAULT 'interval',
  ADD COLUMN IF NOT EXISTS test_months INT UNSIGNED NULL CHECK (test_months > 0),
  ADD COLUMN IF NOT EXISTS cap_months INT UNSIGNED NULL CHECK (cap_months > 0),
  ADD COLUMN IF NOT EXISTS hose_months INT UNSIGNED NULL CHECK (hose_months > 0);

-- +goose Down
ALTER TABLE plan DROP COLUMN school, DROP COLUMN test_months, DROP COLUMN cap_months, DROP COLUMN hose_months;

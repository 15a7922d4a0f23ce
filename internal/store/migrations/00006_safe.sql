-- Every statement can be run twice, see 00001.

-- +goose Up
-- The facts of the unit that a stored account was folded by: when they change, it
-- is folded anew, once.
ALTER TABLE account
  ADD COLUMN IF NOT EXISTS facts BINARY(32) NOT NULL DEFAULT (REPEAT(CHAR(0), 32));

-- Distance between the cold marks of the expansion tank, mm; NULL when it is not known.
ALTER TABLE unit
  ADD COLUMN IF NOT EXISTS tank_marks_mm DOUBLE NULL CHECK (tank_marks_mm > 0);

-- IANA time zone of the site, where it differs from the fleet's (installation, zone).
ALTER TABLE site
  ADD COLUMN IF NOT EXISTS zone VARCHAR(64) CHARACTER SET ascii NULL;

-- How far the curve lies below the nights of single dates, K, and the coldest night
-- of one winter in so many, °C. NULL in a curve that was made before there was a
-- shift: it is made anew at the start.
ALTER TABLE site_curve
  ADD COLUMN IF NOT EXISTS shift DOUBLE NULL,
  ADD COLUMN IF NOT EXISTS return_level DOUBLE NULL;

-- A correction of the mix is work of its own.
ALTER TABLE planned
  MODIFY work ENUM('renewal','correction','test','level','cap','hoses','repair') NOT NULL;

-- +goose Down
UPDATE planned SET work = 'renewal' WHERE work = 'correction';
ALTER TABLE planned MODIFY work ENUM('renewal','test','level','cap','hoses','repair') NOT NULL;
ALTER TABLE site_curve DROP COLUMN IF EXISTS shift, DROP COLUMN IF EXISTS return_level;
ALTER TABLE site DROP COLUMN IF EXISTS zone;
ALTER TABLE unit DROP COLUMN IF EXISTS tank_marks_mm;
ALTER TABLE account DROP COLUMN IF EXISTS facts;

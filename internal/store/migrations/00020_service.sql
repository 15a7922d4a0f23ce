-- Every statement can be run twice, see 00001.

-- +goose Up
-- Parts that a service plan gives an interval: a list of {part, Months, Km, Hours}.
ALTER TABLE plan ADD COLUMN IF NOT EXISTS parts JSON NULL;

-- Coolant for circuits of electric drives and batteries.
ALTER TABLE product ADD COLUMN IF NOT EXISTS low_conductivity BOOLEAN NOT NULL DEFAULT FALSE;

-- Whether a boat has a raw-water side, NULL when it is not known; where the unit goes in winter besides
-- its site, how much colder its place is (K, below zero), and whether it is kept in heated storage.
ALTER TABLE unit
  ADD COLUMN IF NOT EXISTS raw_water ENUM('yes','no') NULL,
  ADD COLUMN IF NOT EXISTS winter_site_id BIGINT UNSIGNED NULL,
  ADD COLUMN IF NOT EXISTS cold_offset DOUBLE NOT NULL DEFAULT 0 CHECK (cold_offset BETWEEN -30 AND 0),
  ADD COLUMN IF NOT EXISTS heated BOOLEAN NOT NULL DEFAULT FALSE;
ALTER TABLE unit ADD CONSTRAINT FOREIGN KEY IF NOT EXISTS unit_winter (winter_site_id) REFERENCES site (id);
ALTER TABLE circuit ADD COLUMN IF NOT EXISTS raw_water ENUM('yes','no') NULL;

-- Water of the site for mixing, ppm; NULL where it was not tested.
ALTER TABLE site
  ADD COLUMN IF NOT EXISTS water_hardness DOUBLE NULL CHECK (water_hardness >= 0),
  ADD COLUMN IF NOT EXISTS water_chloride DOUBLE NULL CHECK (water_chloride >= 0),
  ADD COLUMN IF NOT EXISTS water_sulphate DOUBLE NULL CHECK (water_sulphate >= 0),
  ADD COLUMN IF NOT EXISTS water_solids DOUBLE NULL CHECK (water_solids >= 0);

ALTER TABLE planned
  MODIFY work ENUM('renewal','correction','test','level','cap','hoses','repair','dose','filter','chemistry','service','raw_water') NOT NULL;

-- The cold of a status is that of its site, of where it goes in winter (0 for nowhere else) and of the offset.
ALTER TABLE unit_status
  ADD COLUMN IF NOT EXISTS winter_id BIGINT UNSIGNED NOT NULL DEFAULT 0,
  ADD COLUMN IF NOT EXISTS cold_offset DOUBLE NOT NULL DEFAULT 0;
ALTER TABLE unit_status ADD KEY IF NOT EXISTS unit_status_cold (site_id, winter_id, cold_offset, plan_id, basis, cold);
ALTER TABLE unit_status DROP INDEX IF EXISTS unit_status_basis;

-- +goose Down
ALTER TABLE unit_status ADD KEY IF NOT EXISTS unit_status_basis (site_id, plan_id, basis, cold);
ALTER TABLE unit_status DROP INDEX IF EXISTS unit_status_cold, DROP COLUMN IF EXISTS winter_id, DROP COLUMN IF EXISTS cold_offset;
UPDATE planned SET work = 'repair' WHERE work IN ('service','raw_water');
ALTER TABLE planned MODIFY work ENUM('renewal','correction','test','level','cap','hoses','repair','dose','filter','chemistry') NOT NULL;
ALTER TABLE site DROP COLUMN IF EXISTS water_hardness, DROP COLUMN IF EXISTS water_chloride, DROP COLUMN IF EXISTS water_sulphate, DROP COLUMN IF EXISTS water_solids;
ALTER TABLE circuit DROP COLUMN IF EXISTS raw_water;
ALTER TABLE unit DROP FOREIGN KEY IF EXISTS unit_winter, DROP COLUMN IF EXISTS raw_water, DROP COLUMN IF EXISTS winter_site_id, DROP COLUMN IF EXISTS cold_offset, DROP COLUMN IF EXISTS heated;
ALTER TABLE product DROP COLUMN IF EXISTS low_conductivity;
ALTER TABLE plan DROP COLUMN IF EXISTS parts;

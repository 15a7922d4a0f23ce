-- Every statement can be run twice, see 00001.

-- +goose Up
-- What the label and the data sheet of a product state; NULL or empty where they do not.
-- stated: glycol is theirs. density is relative to water at 20 °C, fresh the reserve
-- alkalinity in mL of 0.1 N acid, freeze of a waterless coolant in °C. meets and named are
-- lists with commas; figures are limits by their key (docs/limits.md).
ALTER TABLE product
  MODIFY base ENUM('EG','PG','waterless') NOT NULL,
  ADD COLUMN IF NOT EXISTS stated BOOLEAN NOT NULL DEFAULT FALSE,
  ADD COLUMN IF NOT EXISTS density DOUBLE NULL CHECK (density BETWEEN 0.9 AND 1.3),
  ADD COLUMN IF NOT EXISTS meets VARCHAR(60) CHARACTER SET ascii NOT NULL DEFAULT '',
  ADD COLUMN IF NOT EXISTS sca BOOLEAN NOT NULL DEFAULT FALSE,
  ADD COLUMN IF NOT EXISTS named VARCHAR(120) CHARACTER SET ascii NOT NULL DEFAULT '',
  ADD COLUMN IF NOT EXISTS fresh DOUBLE NULL CHECK (fresh > 0),
  ADD COLUMN IF NOT EXISTS freeze DOUBLE NULL CHECK (freeze BETWEEN -80 AND 0),
  ADD COLUMN IF NOT EXISTS figures JSON NULL;

-- What the maker of a unit asks of its coolant. metal and drive are NULL where they are not
-- known; listed are codes of products with commas between them.
ALTER TABLE unit
  MODIFY base ENUM('EG','PG','waterless') NULL,
  ADD COLUMN IF NOT EXISTS metal ENUM('iron','aluminium') NULL,
  ADD COLUMN IF NOT EXISTS drive ENUM('combustion','hybrid','electric') NULL,
  ADD COLUMN IF NOT EXISTS silicate_free BOOLEAN NOT NULL DEFAULT FALSE,
  ADD COLUMN IF NOT EXISTS premix_only BOOLEAN NOT NULL DEFAULT FALSE,
  ADD COLUMN IF NOT EXISTS required_technology VARCHAR(20) CHARACTER SET ascii NULL,
  ADD COLUMN IF NOT EXISTS listed VARCHAR(500) NOT NULL DEFAULT '',
  ADD COLUMN IF NOT EXISTS figures JSON NULL;

-- Supplemental additives, extenders and additive filters. nitrite (as NO2) and molybdate (as
-- MoO4) in g in a litre, or in one filter; a filter is changed after the first of months, km
-- and hours.
CREATE TABLE IF NOT EXISTS additive (
  code          VARCHAR(40) NOT NULL PRIMARY KEY,
  name          VARCHAR(120) NOT NULL,
  kind          ENUM('sca','extender','filter') NOT NULL,
  nitrite_g     DOUBLE NOT NULL DEFAULT 0 CHECK (nitrite_g >= 0),
  molybdate_g   DOUBLE NOT NULL DEFAULT 0 CHECK (molybdate_g >= 0),
  release_kind  ENUM('charged','need_release','blank') NULL,
  change_months INT UNSIGNED NULL CHECK (change_months > 0),
  change_km     DOUBLE NULL CHECK (change_km > 0),
  change_hours  DOUBLE NULL CHECK (change_hours > 0)
) ENGINE=InnoDB;

ALTER TABLE planned
  MODIFY work ENUM('renewal','correction','test','level','cap','hoses','repair','dose','filter','chemistry') NOT NULL;

-- +goose Down
UPDATE planned SET work = 'repair' WHERE work IN ('dose','filter','chemistry');
ALTER TABLE planned MODIFY work ENUM('renewal','correction','test','level','cap','hoses','repair') NOT NULL;
DROP TABLE IF EXISTS additive;
DELETE FROM product WHERE base = 'waterless';
UPDATE unit SET base = NULL WHERE base = 'waterless';
ALTER TABLE unit DROP COLUMN IF EXISTS metal, DROP COLUMN IF EXISTS drive, DROP COLUMN IF EXISTS silicate_free, DROP COLUMN IF EXISTS premix_only,
  DROP COLUMN IF EXISTS required_technology, DROP COLUMN IF EXISTS listed, DROP COLUMN IF EXISTS figures, MODIFY base ENUM('EG','PG') NULL;
ALTER TABLE product DROP COLUMN IF EXISTS stated, DROP COLUMN IF EXISTS density, DROP COLUMN IF EXISTS meets, DROP COLUMN IF EXISTS sca,
  DROP COLUMN IF EXISTS named, DROP COLUMN IF EXISTS fresh, DROP COLUMN IF EXISTS freeze, DROP COLUMN IF EXISTS figures, MODIFY base ENUM('EG','PG') NOT NULL;

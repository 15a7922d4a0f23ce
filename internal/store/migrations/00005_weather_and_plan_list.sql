-- Every statement can be run twice, see 00001.

-- +goose Up
-- Of so many nights of the same date one is colder than the site's curve.
ALTER TABLE site
  ADD COLUMN IF NOT EXISTS winters INT UNSIGNED NOT NULL DEFAULT 50 CHECK (winters BETWEEN 2 AND 200);

-- The record of each night's minimum, °C.
CREATE TABLE IF NOT EXISTS site_night (
  site_id BIGINT UNSIGNED NOT NULL,
  day     DATE NOT NULL,
  celsius DOUBLE NOT NULL CHECK (celsius BETWEEN -90 AND 50),
  PRIMARY KEY (site_id, day),
  FOREIGN KEY (site_id) REFERENCES site (id)
) ENGINE=InnoDB;

-- The curve reckoned from the record, kept in step with it: 366 values, °C.
CREATE TABLE IF NOT EXISTS site_curve (
  site_id BIGINT UNSIGNED NOT NULL PRIMARY KEY,
  winters INT UNSIGNED NOT NULL,
  years   INT UNSIGNED NOT NULL,
  colder  DOUBLE NOT NULL,
  curve   JSON NOT NULL,
  FOREIGN KEY (site_id) REFERENCES site (id)
) ENGINE=InnoDB;

-- What the weather service expects of the nights ahead, °C.
CREATE TABLE IF NOT EXISTS site_forecast (
  site_id BIGINT UNSIGNED NOT NULL,
  day     DATE NOT NULL,
  celsius DOUBLE NOT NULL CHECK (celsius BETWEEN -90 AND 50),
  told_at DATETIME(6) NOT NULL,
  PRIMARY KEY (site_id, day),
  FOREIGN KEY (site_id) REFERENCES site (id)
) ENGINE=InnoDB;

-- Looks at the level after a renewal: on so many days, or after so many runs; how
-- old a hose may be; and whether the plan's distances were given in miles (kept in km).
ALTER TABLE plan
  ADD COLUMN IF NOT EXISTS follow_days INT UNSIGNED NOT NULL DEFAULT 3 CHECK (follow_days <= 14),
  ADD COLUMN IF NOT EXISTS follow_runs INT UNSIGNED NOT NULL DEFAULT 0 CHECK (follow_runs <= 10),
  ADD COLUMN IF NOT EXISTS hose_years INT UNSIGNED NULL CHECK (hose_years > 0),
  ADD COLUMN IF NOT EXISTS miles BOOLEAN NOT NULL DEFAULT FALSE;

-- The last zero of an instrument is looked up over all units.
ALTER TABLE entry ADD COLUMN IF NOT EXISTS zeroed_tool VARCHAR(80) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin
  AS (CASE WHEN kind IN ('zero_check', 'freeze_test') AND JSON_EXISTS(payload, '$.zero') THEN JSON_VALUE(payload, '$.tool') END) VIRTUAL;
CREATE INDEX IF NOT EXISTS entry_zeroed ON entry (zeroed_tool, happened_at);

-- The plan list: work that somebody means to have done on a unit between two
-- days. A line is open until it is taken back, or the books show that the work
-- was done; a unit has one open line for each work.
CREATE TABLE IF NOT EXISTS planned (
  id        BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  unit_id   BIGINT UNSIGNED NOT NULL,
  work      ENUM('renewal','test','level','cap','hoses','repair') NOT NULL,
  from_day  DATE NOT NULL,
  to_day    DATE NOT NULL,
  sent_by   VARCHAR(120) NOT NULL,
  sent_at   DATETIME(6) NOT NULL,
  closed_at DATETIME(6) NULL,
  closed_by VARCHAR(120) NULL,
  is_open   TINYINT AS (IF(closed_at IS NULL, 1, NULL)) PERSISTENT,
  CHECK (from_day <= to_day),
  UNIQUE KEY planned_once (unit_id, work, is_open),
  FOREIGN KEY (unit_id) REFERENCES unit (id)
) ENGINE=InnoDB;

-- +goose Down
DROP TABLE IF EXISTS planned, site_forecast, site_curve, site_night;
DROP INDEX IF EXISTS entry_zeroed ON entry;
ALTER TABLE entry DROP COLUMN IF EXISTS zeroed_tool;
ALTER TABLE plan DROP COLUMN follow_days, DROP COLUMN follow_runs, DROP COLUMN miles, DROP COLUMN hose_years;
ALTER TABLE site DROP COLUMN winters;

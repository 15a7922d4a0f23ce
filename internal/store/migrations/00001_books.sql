-- Every statement of a migration can be run twice: MariaDB commits each change
-- of the schema by itself, and a start may be killed between two of them.

-- +goose Up
CREATE TABLE IF NOT EXISTS site (
  id   BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  name VARCHAR(80) NOT NULL,
  UNIQUE KEY site_name (name)
) ENGINE=InnoDB;

-- Coldest night to be reckoned with in each month, °C.
CREATE TABLE IF NOT EXISTS site_cold (
  site_id BIGINT UNSIGNED NOT NULL,
  month   TINYINT UNSIGNED NOT NULL CHECK (month BETWEEN 1 AND 12),
  celsius DOUBLE NOT NULL CHECK (celsius BETWEEN -80 AND 40),
  PRIMARY KEY (site_id, month),
  FOREIGN KEY (site_id) REFERENCES site (id)
) ENGINE=InnoDB;

-- Intervals of a service plan; NULL sets no limit.
CREATE TABLE IF NOT EXISTS plan (
  id            BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  name          VARCHAR(80) NOT NULL,
  first_months  INT UNSIGNED NULL,
  first_km      DOUBLE NULL CHECK (first_km > 0),
  first_hours   DOUBLE NULL CHECK (first_hours > 0),
  later_months  INT UNSIGNED NULL,
  later_km      DOUBLE NULL CHECK (later_km > 0),
  later_hours   DOUBLE NULL CHECK (later_hours > 0),
  freeze_margin DOUBLE NOT NULL CHECK (freeze_margin >= 0),
  UNIQUE KEY plan_name (name)
) ENGINE=InnoDB;

CREATE TABLE IF NOT EXISTS product (
  code       VARCHAR(40) NOT NULL PRIMARY KEY,
  name       VARCHAR(120) NOT NULL,
  base       ENUM('EG','PG') NOT NULL,
  technology VARCHAR(20) NOT NULL,
  form       ENUM('concentrate','premix') NOT NULL,
  glycol     DOUBLE NOT NULL CHECK (glycol > 0 AND glycol <= 1)
) ENGINE=InnoDB;

-- A unit and the head of its chain of entries. Locking this row orders the
-- writers of one account; nothing else waits for them.
CREATE TABLE IF NOT EXISTS unit (
  id         BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  code       VARCHAR(24) NOT NULL,
  name       VARCHAR(120) NOT NULL,
  kind       ENUM('car','truck','motorcycle','boat','aircraft') NOT NULL,
  site_id    BIGINT UNSIGNED NOT NULL,
  plan_id    BIGINT UNSIGNED NOT NULL,
  capacity_l DOUBLE NOT NULL CHECK (capacity_l > 0),
  base       ENUM('EG','PG') NULL,
  meter      ENUM('km','h') NULL,
  head_seq   BIGINT UNSIGNED NOT NULL DEFAULT 0,
  head_hash  BINARY(32) NOT NULL DEFAULT (REPEAT(CHAR(0), 32)),
  UNIQUE KEY unit_code (code),
  FOREIGN KEY (site_id) REFERENCES site (id),
  FOREIGN KEY (plan_id) REFERENCES plan (id)
) ENGINE=InnoDB;

-- The books. Rows are only ever added: the application's user may not update or
-- delete here.
CREATE TABLE IF NOT EXISTS entry (
  id            CHAR(36) CHARACTER SET ascii COLLATE ascii_bin NOT NULL PRIMARY KEY,
  unit_id       BIGINT UNSIGNED NOT NULL,
  seq           BIGINT UNSIGNED NOT NULL,
  kind          ENUM('fill','top_up','loss','freeze_test','meter') NOT NULL,
  happened_at   DATETIME(6) NOT NULL,
  recorded_at   DATETIME(6) NOT NULL,
  recorded_by   VARCHAR(120) NOT NULL,
  reading_value DOUBLE NOT NULL,
  reading_unit  VARCHAR(10) CHARACTER SET ascii NOT NULL,
  metric_value  DOUBLE NOT NULL,
  payload       JSON NOT NULL,
  hash          BINARY(32) NOT NULL,
  prev_hash     BINARY(32) NOT NULL,
  UNIQUE KEY entry_seq (unit_id, seq),
  KEY entry_time (unit_id, happened_at, id),
  FOREIGN KEY (unit_id) REFERENCES unit (id)
) ENGINE=InnoDB;

-- Facts about this installation, such as whether the demo fleet was loaded.
CREATE TABLE IF NOT EXISTS installation (
  name  VARCHAR(40) NOT NULL PRIMARY KEY,
  value VARCHAR(200) NOT NULL
) ENGINE=InnoDB;

-- +goose Down
DROP TABLE IF EXISTS entry, unit, product, plan, site_cold, site, installation;

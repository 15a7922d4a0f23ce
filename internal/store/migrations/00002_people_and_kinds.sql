-- Every statement can be run twice, see 00001.

-- +goose Up
-- Any kind of entry; kinds without a figure leave the reading empty.
ALTER TABLE entry
  MODIFY kind VARCHAR(24) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  MODIFY reading_value DOUBLE NULL,
  MODIFY reading_unit VARCHAR(10) CHARACTER SET ascii NULL,
  MODIFY metric_value DOUBLE NULL;

-- What the fold must know of a unit: the cap's rating over ambient, what a
-- millimetre in the expansion tank holds, and whether its liners are wet.
ALTER TABLE unit
  ADD COLUMN IF NOT EXISTS cap_kpa DOUBLE NULL CHECK (cap_kpa > 0),
  ADD COLUMN IF NOT EXISTS tank_l_per_mm DOUBLE NULL CHECK (tank_l_per_mm > 0),
  ADD COLUMN IF NOT EXISTS wet_liners BOOLEAN NOT NULL DEFAULT FALSE;

-- Height over the sea, m: what boils at the yard boils sooner in the hills.
ALTER TABLE site
  ADD COLUMN IF NOT EXISTS altitude_m DOUBLE NOT NULL DEFAULT 0 CHECK (altitude_m BETWEEN -500 AND 6000);

-- Share of the charge that must be new for a renewal.
ALTER TABLE plan
  ADD COLUMN IF NOT EXISTS replaced DOUBLE NOT NULL DEFAULT 0.6 CHECK (replaced > 0 AND replaced <= 1);

-- Names are unique, since the books name their writers by them.
CREATE TABLE IF NOT EXISTS person (
  id         BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  name       VARCHAR(120) NOT NULL,
  email      VARCHAR(190) NOT NULL,
  role       ENUM('coordinator','technician','signatory','reader') NOT NULL,
  password   VARCHAR(200) CHARACTER SET ascii COLLATE ascii_bin NULL,
  active     BOOLEAN NOT NULL DEFAULT TRUE,
  epoch      INT UNSIGNED NOT NULL DEFAULT 1,
  created_at DATETIME(6) NOT NULL,
  UNIQUE KEY person_name (name),
  UNIQUE KEY person_email (email)
) ENGINE=InnoDB;

-- Links are kept by their hash, so that reading this table opens nothing.
CREATE TABLE IF NOT EXISTS one_time_link (
  hash       BINARY(32) NOT NULL PRIMARY KEY,
  person_id  BIGINT UNSIGNED NOT NULL,
  purpose    ENUM('first','invitation','reset') NOT NULL,
  expires_at DATETIME(6) NOT NULL,
  used_at    DATETIME(6) NULL,
  KEY link_person (person_id),
  FOREIGN KEY (person_id) REFERENCES person (id)
) ENGINE=InnoDB;

-- Failed sign-ins of an account or an address, and until when it has to wait.
CREATE TABLE IF NOT EXISTS throttle (
  who      VARCHAR(200) NOT NULL PRIMARY KEY,
  failures INT UNSIGNED NOT NULL,
  last_at  DATETIME(6) NOT NULL,
  until_at DATETIME(6) NOT NULL
) ENGINE=InnoDB;

-- Sessions as the session package wants them.
CREATE TABLE IF NOT EXISTS sessions (
  token  CHAR(43) CHARACTER SET ascii COLLATE ascii_bin NOT NULL PRIMARY KEY,
  data   BLOB NOT NULL,
  expiry TIMESTAMP(6) NOT NULL,
  KEY sessions_expiry (expiry)
) ENGINE=InnoDB;

-- Who signed in, and who changed people, register or rules. Rows are only ever
-- added.
CREATE TABLE IF NOT EXISTS audit (
  id      BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  at      DATETIME(6) NOT NULL,
  who     VARCHAR(190) NOT NULL,
  address VARCHAR(64) NOT NULL,
  what    VARCHAR(40) CHARACTER SET ascii NOT NULL,
  detail  VARCHAR(500) NOT NULL,
  KEY audit_at (at)
) ENGINE=InnoDB;

-- +goose Down
DROP TABLE IF EXISTS audit, sessions, throttle, one_time_link, person;

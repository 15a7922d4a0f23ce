-- Every statement can be run twice, see 00001.

-- +goose Up
-- An import of a spreadsheet: its columns and the answers to what it leaves open, how far it is, and what came of it
-- (package importer). It is one thing: it goes on after a crash, and is taken back whole.
CREATE TABLE IF NOT EXISTS import_run (
  id          BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  name        VARCHAR(200) NOT NULL,
  bytes       BIGINT UNSIGNED NOT NULL,
  created_at  DATETIME(6) NOT NULL,
  who         VARCHAR(190) NOT NULL,
  who_id      BIGINT UNSIGNED NULL,
  state       ENUM('uploaded','checking','checked','running','done','cancelling','cancelled','reversing','reversed','failed') NOT NULL,
  shape       LONGTEXT NOT NULL,
  columns     JSON NULL,
  options     JSON NULL,
  reading     VARCHAR(60) NOT NULL DEFAULT '',
  result      LONGTEXT NULL,
  done        INT UNSIGNED NOT NULL DEFAULT 0,
  total       INT UNSIGNED NOT NULL DEFAULT 0,
  error       VARCHAR(500) NOT NULL DEFAULT '',
  finished_at DATETIME(6) NULL,
  KEY import_run_state (state)
) ENGINE=InnoDB;

-- The file in parts, and the rows that were not taken with their reasons.
CREATE TABLE IF NOT EXISTS import_part (
  run_id  BIGINT UNSIGNED NOT NULL,
  what    ENUM('file','rest') NOT NULL,
  n       INT UNSIGNED NOT NULL,
  content MEDIUMBLOB NOT NULL,
  PRIMARY KEY (run_id, what, n)
) ENGINE=InnoDB;

-- Units that a run added, changed (change_id of register_change) or brought back, and the entries that it wrote.
CREATE TABLE IF NOT EXISTS import_unit (
  run_id    BIGINT UNSIGNED NOT NULL,
  unit_id   BIGINT UNSIGNED NOT NULL,
  added     BOOLEAN NOT NULL,
  back      BOOLEAN NOT NULL,
  change_id BIGINT UNSIGNED NOT NULL DEFAULT 0,
  due_on    DATE NULL,
  due_meter VARCHAR(40) NOT NULL DEFAULT '',
  PRIMARY KEY (run_id, unit_id)
) ENGINE=InnoDB;
CREATE TABLE IF NOT EXISTS import_entry (
  entry_id   CHAR(36) CHARACTER SET ascii COLLATE ascii_bin NOT NULL PRIMARY KEY,
  run_id     BIGINT UNSIGNED NOT NULL,
  circuit_id BIGINT UNSIGNED NOT NULL,
  KEY import_entry_run (run_id, circuit_id)
) ENGINE=InnoDB;

-- What a heading was taken for last; an empty target for none.
CREATE TABLE IF NOT EXISTS import_heading (
  heading VARCHAR(120) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NOT NULL PRIMARY KEY,
  target  VARCHAR(40) CHARACTER SET ascii NOT NULL
) ENGINE=InnoDB;

-- +goose Down
DROP TABLE IF EXISTS import_heading, import_entry, import_unit, import_part, import_run;

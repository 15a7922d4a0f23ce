-- Every statement can be run twice, see 00001.

-- +goose Up
-- The head of each chain of changes: register, audit, and unit:ID for the facts of one unit.
CREATE TABLE IF NOT EXISTS chain (
  name VARCHAR(40) CHARACTER SET ascii COLLATE ascii_bin NOT NULL PRIMARY KEY,
  seq  BIGINT UNSIGNED NOT NULL DEFAULT 0,
  hash BINARY(32) NOT NULL DEFAULT (REPEAT(CHAR(0), 32))
) ENGINE=InnoDB;

INSERT IGNORE INTO chain (name) VALUES ('register'), ('audit');

-- Each change of a row that decides: subject names its table and key, content is the row after
-- the change, as JSON. Rows are only ever added.
CREATE TABLE IF NOT EXISTS chain_line (
  chain     VARCHAR(40) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  seq       BIGINT UNSIGNED NOT NULL,
  at        DATETIME(6) NOT NULL,
  who       VARCHAR(190) NOT NULL,
  what      VARCHAR(40) CHARACTER SET ascii NOT NULL,
  subject   VARCHAR(80) NOT NULL,
  content   MEDIUMTEXT NOT NULL,
  hash      BINARY(32) NOT NULL,
  prev_hash BINARY(32) NOT NULL,
  PRIMARY KEY (chain, seq)
) ENGINE=InnoDB;

-- Counters of failed sign-ins are removed by their age.
CREATE INDEX IF NOT EXISTS throttle_last ON throttle (last_at);

-- +goose Down
DROP INDEX IF EXISTS throttle_last ON throttle;
DROP TABLE IF EXISTS chain_line, chain;

-- Every statement can be run twice, see 00001.

-- +goose Up
-- A round: a technician's walk along units. stops is each of its units with what became of it, as JSON; the device that
-- walks writes it anew with a higher revision. It decides nothing, and no chain holds it: what was found is in the entries.
CREATE TABLE IF NOT EXISTS round_log (
  id         CHAR(36) CHARACTER SET ascii COLLATE ascii_bin NOT NULL PRIMARY KEY,
  person_id  BIGINT UNSIGNED NOT NULL,
  who        VARCHAR(190) NOT NULL,
  title      VARCHAR(200) NOT NULL,
  device     VARCHAR(120) NOT NULL,
  started_at DATETIME(6) NOT NULL,
  closed_at  DATETIME(6) NULL,
  updated_at DATETIME(6) NOT NULL,
  revision   INT UNSIGNED NOT NULL,
  stops      LONGTEXT NOT NULL,
  KEY round_log_started (started_at)
) ENGINE=InnoDB;

-- The round or job that an entry came from.
ALTER TABLE entry ADD COLUMN IF NOT EXISTS job CHAR(36) CHARACTER SET ascii COLLATE ascii_bin
  AS (JSON_VALUE(envelope, '$.job')) VIRTUAL;
CREATE INDEX IF NOT EXISTS entry_job ON entry (job);

-- Photos by their SHA-256, which entries name in their envelope.
CREATE TABLE IF NOT EXISTS attachment (
  sha256  BINARY(32) NOT NULL PRIMARY KEY,
  media   VARCHAR(40) CHARACTER SET ascii NOT NULL,
  content MEDIUMBLOB NOT NULL,
  added_at DATETIME(6) NOT NULL,
  who     VARCHAR(190) NOT NULL,
  who_id  BIGINT UNSIGNED NOT NULL
) ENGINE=InnoDB;

-- +goose Down
DROP TABLE IF EXISTS attachment, round_log;
DROP INDEX IF EXISTS entry_job ON entry;
ALTER TABLE entry DROP COLUMN IF EXISTS job;

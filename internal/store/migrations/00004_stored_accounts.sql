-- Every statement can be run twice, see 00001.

-- +goose Up
-- Each account as it stands after its last entry, without its lines: reckoned in
-- the same transaction as the entry, and anew by diligent rebuild. seq and
-- replaced tell of which entry and which plan's share; rules is the version of
-- the fold.
CREATE TABLE IF NOT EXISTS account (
  unit_id  BIGINT UNSIGNED NOT NULL PRIMARY KEY,
  seq      BIGINT UNSIGNED NOT NULL,
  replaced DOUBLE NOT NULL,
  rules    INT UNSIGNED NOT NULL,
  body     MEDIUMBLOB NOT NULL,
  FOREIGN KEY (unit_id) REFERENCES unit (id)
) ENGINE=InnoDB;

-- +goose Down
DROP TABLE IF EXISTS account;

-- Every statement can be run twice, see 00001.

-- +goose Up
-- How many status rows of each basis have a verdict (its rank), or are in a list: pending, night,
-- discrepant. Kept in the transaction that changes a row, so that no list counts the fleet.
CREATE TABLE IF NOT EXISTS status_count (
  basis BINARY(16) NOT NULL,
  of    VARCHAR(12) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  n     BIGINT NOT NULL,
  PRIMARY KEY (basis, of)
) ENGINE=InnoDB;

-- +goose Down
DROP TABLE IF EXISTS status_count;

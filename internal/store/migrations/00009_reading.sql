-- Every statement can be run twice, see 00001.

-- +goose Up
-- The units and the dates in which a person reads; no row for one who has chosen nothing.
CREATE TABLE IF NOT EXISTS person_reading (
  person_id   BIGINT UNSIGNED NOT NULL PRIMARY KEY,
  temperature VARCHAR(8) CHARACTER SET ascii NOT NULL,
  volume      VARCHAR(8) CHARACTER SET ascii NOT NULL,
  pressure    VARCHAR(8) CHARACTER SET ascii NOT NULL,
  distance    VARCHAR(8) CHARACTER SET ascii NOT NULL,
  dates       VARCHAR(8) CHARACTER SET ascii NOT NULL,
  CONSTRAINT person_reading_person FOREIGN KEY (person_id) REFERENCES person (id)
) ENGINE=InnoDB;

-- +goose Down
DROP TABLE IF EXISTS person_reading;

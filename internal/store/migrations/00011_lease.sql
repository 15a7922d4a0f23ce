-- Every statement can be run twice, see 00001.

-- +goose Up
-- One of several processes holds each lease; made before the first migration, see lease.go.
CREATE TABLE IF NOT EXISTS lease (
  name     VARCHAR(40) CHARACTER SET ascii COLLATE ascii_bin NOT NULL PRIMARY KEY,
  holder   CHAR(36) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  until_at DATETIME(6) NOT NULL
) ENGINE=InnoDB;

-- +goose Down
DROP TABLE IF EXISTS lease;

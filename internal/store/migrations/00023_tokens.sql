-- Every statement can be run twice, see 00001.

-- +goose Up
-- Bearer tokens for scripts and gateways: of one role, to an end date, kept as the SHA-256 of what was shown once. last_* is
-- when it was used last and what came of it; no chain holds that.
CREATE TABLE IF NOT EXISTS api_token (
  id           BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  name         VARCHAR(80) NOT NULL,
  hash         BINARY(32) NOT NULL,
  role         ENUM('coordinator','technician','signatory','reader','gateway') NOT NULL,
  ends_on      DATE NOT NULL,
  created_at   DATETIME(6) NOT NULL,
  who          VARCHAR(190) NOT NULL,
  revoked_at   DATETIME(6) NULL,
  last_used_at DATETIME(6) NULL,
  last_result  VARCHAR(300) NOT NULL DEFAULT '',
  UNIQUE KEY api_token_hash (hash),
  UNIQUE KEY api_token_name (name)
) ENGINE=InnoDB;

-- +goose Down
DROP TABLE IF EXISTS api_token;

-- Every statement can be run twice, see 00001.

-- +goose Up
-- What the lists read of a unit: its verdict and its clocks as of a day. A row is written in the
-- transaction of an entry, and anew when the day, the site's cold or the service plan changes.
-- basis names the day, the rules and the plan that it was evaluated by: a row of another basis
-- is not evaluated yet, and is read as unknown. cold names the site's curve and forecast: a row
-- of another cold is evaluated anew at once. governing, clocks and discrepancy are CBOR.
CREATE TABLE IF NOT EXISTS unit_status (
  unit_id     BIGINT UNSIGNED NOT NULL PRIMARY KEY,
  code        VARCHAR(24) CHARACTER SET utf8mb4 NOT NULL,
  site_id     BIGINT UNSIGNED NOT NULL,
  plan_id     BIGINT UNSIGNED NOT NULL,
  kind        VARCHAR(16) CHARACTER SET ascii NOT NULL,
  basis       BINARY(16) NOT NULL,
  cold        BINARY(16) NOT NULL,
  seq         BIGINT UNSIGNED NOT NULL,
  verdict     TINYINT UNSIGNED NOT NULL,
  due         DATE NOT NULL DEFAULT '9999-12-31',
  clock       VARCHAR(16) CHARACTER SET ascii NOT NULL,
  work        VARCHAR(16) CHARACTER SET ascii NOT NULL,
  pending     BOOLEAN NOT NULL,
  night       DATE NULL,
  discrepant  BOOLEAN NOT NULL,
  tool        VARCHAR(80) NULL,
  protects    DOUBLE NULL,
  product     VARCHAR(80) NULL,
  governing   BLOB NOT NULL,
  clocks      MEDIUMBLOB NOT NULL,
  discrepancy BLOB NULL,
  CONSTRAINT unit_status_unit FOREIGN KEY (unit_id) REFERENCES unit (id),
  KEY unit_status_order (verdict, due, code),
  KEY unit_status_basis (site_id, plan_id, basis, cold),
  KEY unit_status_pending (pending, due, code),
  KEY unit_status_night (night),
  KEY unit_status_discrepant (discrepant, code),
  KEY unit_status_tool (tool)
) ENGINE=InnoDB;

-- +goose Down
DROP TABLE IF EXISTS unit_status;

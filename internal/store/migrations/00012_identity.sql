-- Every statement can be run twice, see 00001.

-- +goose Up
-- A coolant circuit of a unit. An account belongs to a circuit: its entries, and the head of
-- their chain. Ids are never changed and never used again. code_v1 is the code that the unit had
-- while records of version 1 were written; those hash it.
CREATE TABLE IF NOT EXISTS circuit (
  id        BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  unit_id   BIGINT UNSIGNED NOT NULL,
  name      VARCHAR(40) NOT NULL DEFAULT 'engine',
  code_v1   VARCHAR(24) CHARACTER SET utf8mb4 NULL,
  head_seq  BIGINT UNSIGNED NOT NULL DEFAULT 0,
  head_hash BINARY(32) NOT NULL DEFAULT (REPEAT(CHAR(0), 32)),
  UNIQUE KEY circuit_name (unit_id, name),
  CONSTRAINT circuit_unit FOREIGN KEY (unit_id) REFERENCES unit (id)
) ENGINE=InnoDB;

-- 00013 drops these; run again after it, they are there for the next statement, which adds nothing then.
ALTER TABLE unit
  ADD COLUMN IF NOT EXISTS head_seq BIGINT UNSIGNED NOT NULL DEFAULT 0,
  ADD COLUMN IF NOT EXISTS head_hash BINARY(32) NOT NULL DEFAULT (REPEAT(CHAR(0), 32));

INSERT IGNORE INTO circuit (id, unit_id, code_v1, head_seq, head_hash) SELECT id, id, code, head_seq, head_hash FROM unit;

-- Entries and accounts name the circuit. Until now there was one for each unit, with its id.
ALTER TABLE entry
  DROP FOREIGN KEY IF EXISTS entry_ibfk_1,
  CHANGE COLUMN IF EXISTS unit_id circuit_id BIGINT UNSIGNED NOT NULL;
ALTER TABLE account
  DROP FOREIGN KEY IF EXISTS account_ibfk_1,
  CHANGE COLUMN IF EXISTS unit_id circuit_id BIGINT UNSIGNED NOT NULL;

-- version of the record, which is how it is hashed; the person by id, NULL when not known; and
-- the envelope: what belongs to all kinds, as JSON, byte for byte as hashed.
ALTER TABLE entry
  ADD COLUMN IF NOT EXISTS version TINYINT UNSIGNED NOT NULL DEFAULT 1,
  ADD COLUMN IF NOT EXISTS recorded_by_id BIGINT UNSIGNED NULL,
  ADD COLUMN IF NOT EXISTS envelope JSON NULL;
ALTER TABLE entry ADD CONSTRAINT FOREIGN KEY IF NOT EXISTS entry_circuit (circuit_id) REFERENCES circuit (id);
ALTER TABLE account ADD CONSTRAINT FOREIGN KEY IF NOT EXISTS account_circuit (circuit_id) REFERENCES circuit (id);

-- Instruments by the name that entries give them.
CREATE TABLE IF NOT EXISTS instrument (
  id   BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  name VARCHAR(80) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NOT NULL,
  UNIQUE KEY instrument_name (name)
) ENGINE=InnoDB;

INSERT IGNORE INTO instrument (name)
  SELECT DISTINCT JSON_VALUE(payload, '$.tool') FROM entry
  WHERE kind IN ('freeze_test', 'chemistry_test', 'zero_check') AND JSON_VALUE(payload, '$.tool') <> '';

-- Products and additives by an id beside their code.
ALTER TABLE product ADD COLUMN IF NOT EXISTS id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT UNIQUE;
ALTER TABLE additive ADD COLUMN IF NOT EXISTS id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT UNIQUE;

-- Who by id; NULL for the program, for an address that was tried, and in lines of before.
ALTER TABLE audit ADD COLUMN IF NOT EXISTS who_id BIGINT UNSIGNED NULL;

-- The glycols at a site are asked for with each unit.
CREATE INDEX IF NOT EXISTS unit_site_base ON unit (site_id, base);

-- +goose Down
CREATE INDEX IF NOT EXISTS site_id ON unit (site_id);
DROP INDEX IF EXISTS unit_site_base ON unit;
ALTER TABLE audit DROP COLUMN IF EXISTS who_id;
ALTER TABLE product DROP COLUMN IF EXISTS id;
ALTER TABLE additive DROP COLUMN IF EXISTS id;
DROP TABLE IF EXISTS instrument;
ALTER TABLE entry DROP FOREIGN KEY IF EXISTS entry_circuit, DROP COLUMN IF EXISTS version, DROP COLUMN IF EXISTS recorded_by_id, DROP COLUMN IF EXISTS envelope,
  CHANGE COLUMN IF EXISTS circuit_id unit_id BIGINT UNSIGNED NOT NULL;
ALTER TABLE account DROP FOREIGN KEY IF EXISTS account_circuit, CHANGE COLUMN IF EXISTS circuit_id unit_id BIGINT UNSIGNED NOT NULL;
UPDATE unit u JOIN circuit c ON c.unit_id = u.id SET u.head_seq = c.head_seq, u.head_hash = c.head_hash;
DROP TABLE IF EXISTS circuit;

-- Every statement can be run twice, see 00001.

-- +goose Up
-- Facts of a record by their code, each in its canonical form, where no column of its own holds it or as it was read
-- ("5.8 US qt" beside 5.49 L); NULL for a record of before. earlier: dated facts that held until a day (package register).
-- typed: codes of the columns whose value is that of the unit's type. left_on: the day on which a unit left the fleet.
-- revision counts the changes of a unit's facts; a status names the one that it was evaluated with.
-- capacity_common: the capacity is that of a type whose values are common practice, not the unit's own.
CREATE TABLE IF NOT EXISTS unit_type (
  id     BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  name   VARCHAR(120) NOT NULL,
  kind   ENUM('car','truck','motorcycle','boat','aircraft') NOT NULL,
  common BOOLEAN NOT NULL DEFAULT FALSE,
  facts  JSON NULL,
  UNIQUE KEY unit_type_name (name)
) ENGINE=InnoDB;
ALTER TABLE unit
  ADD COLUMN IF NOT EXISTS type_id BIGINT UNSIGNED NULL,
  ADD COLUMN IF NOT EXISTS facts JSON NULL,
  ADD COLUMN IF NOT EXISTS typed JSON NULL,
  ADD COLUMN IF NOT EXISTS earlier JSON NULL,
  ADD COLUMN IF NOT EXISTS capacity_common BOOLEAN NOT NULL DEFAULT FALSE,
  ADD COLUMN IF NOT EXISTS revision INT UNSIGNED NOT NULL DEFAULT 0,
  ADD COLUMN IF NOT EXISTS left_on DATE NULL,
  ADD COLUMN IF NOT EXISTS left_how ENUM('retired','sold') NULL;
ALTER TABLE unit ADD CONSTRAINT FOREIGN KEY IF NOT EXISTS unit_of_type (type_id) REFERENCES unit_type (id);
ALTER TABLE circuit
  ADD COLUMN IF NOT EXISTS facts JSON NULL,
  ADD COLUMN IF NOT EXISTS earlier JSON NULL;
ALTER TABLE unit_status ADD COLUMN IF NOT EXISTS revision INT UNSIGNED NOT NULL DEFAULT 0;
ALTER TABLE site ADD COLUMN IF NOT EXISTS facts JSON NULL;
ALTER TABLE product ADD COLUMN IF NOT EXISTS facts JSON NULL;
ALTER TABLE instrument ADD COLUMN IF NOT EXISTS facts JSON NULL;

-- Each change of a record: which facts were what before and after, from which day on it is in effect (NULL: from the
-- beginning), and when it was undone. circuit_id is 0 but for a further circuit of a unit.
CREATE TABLE IF NOT EXISTS register_change (
  id         BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  record     ENUM('unit','type','site','product','instrument') NOT NULL,
  record_id  BIGINT UNSIGNED NOT NULL,
  circuit_id BIGINT UNSIGNED NOT NULL DEFAULT 0,
  what       ENUM('added','changed','left','returned') NOT NULL,
  at         DATETIME(6) NOT NULL,
  who        VARCHAR(190) NOT NULL,
  who_id     BIGINT UNSIGNED NULL,
  from_day   DATE NULL,
  was        JSON NOT NULL,
  is_now     JSON NOT NULL,
  cause      VARCHAR(200) NOT NULL DEFAULT '',
  undone_at  DATETIME(6) NULL,
  undone_by  VARCHAR(190) NULL,
  KEY register_change_of (record, record_id, circuit_id, id)
) ENGINE=InnoDB;

-- +goose Down
DROP TABLE IF EXISTS register_change;
ALTER TABLE instrument DROP COLUMN IF EXISTS facts;
ALTER TABLE product DROP COLUMN IF EXISTS facts;
ALTER TABLE site DROP COLUMN IF EXISTS facts;
ALTER TABLE unit_status DROP COLUMN IF EXISTS revision;
ALTER TABLE circuit DROP COLUMN IF EXISTS facts, DROP COLUMN IF EXISTS earlier;
ALTER TABLE unit DROP FOREIGN KEY IF EXISTS unit_of_type, DROP COLUMN IF EXISTS type_id, DROP COLUMN IF EXISTS facts, DROP COLUMN IF EXISTS typed,
  DROP COLUMN IF EXISTS earlier, DROP COLUMN IF EXISTS capacity_common, DROP COLUMN IF EXISTS revision, DROP COLUMN IF EXISTS left_on, DROP COLUMN IF EXISTS left_how;
DROP TABLE IF EXISTS unit_type;

-- Every statement can be run twice, see 00001.

-- +goose Up
-- A unit has one or more circuits. That of position 0 is the first: its facts are in the row of the
-- unit, and the meters and the lay-up of the unit are in its account. The facts of a further circuit are in
-- its own row; what is NULL there is not known, and plan_id NULL is the plan of the unit. A position is
-- never changed. ended is the day from which on the unit does not have the circuit any more.
ALTER TABLE circuit
  ADD COLUMN IF NOT EXISTS position TINYINT UNSIGNED NOT NULL DEFAULT 0,
  ADD COLUMN IF NOT EXISTS plan_id BIGINT UNSIGNED NULL,
  ADD COLUMN IF NOT EXISTS capacity_l DOUBLE NOT NULL DEFAULT 0 CHECK (capacity_l >= 0),
  ADD COLUMN IF NOT EXISTS base ENUM('EG','PG','waterless') NULL,
  ADD COLUMN IF NOT EXISTS cap_kpa DOUBLE NULL CHECK (cap_kpa > 0),
  ADD COLUMN IF NOT EXISTS tank_l_per_mm DOUBLE NULL CHECK (tank_l_per_mm > 0),
  ADD COLUMN IF NOT EXISTS tank_marks_mm DOUBLE NULL CHECK (tank_marks_mm > 0),
  ADD COLUMN IF NOT EXISTS wet_liners BOOLEAN NOT NULL DEFAULT FALSE,
  ADD COLUMN IF NOT EXISTS metal ENUM('iron','aluminium') NULL,
  ADD COLUMN IF NOT EXISTS silicate_free BOOLEAN NOT NULL DEFAULT FALSE,
  ADD COLUMN IF NOT EXISTS premix_only BOOLEAN NOT NULL DEFAULT FALSE,
  ADD COLUMN IF NOT EXISTS required_technology VARCHAR(20) CHARACTER SET ascii NULL,
  ADD COLUMN IF NOT EXISTS listed VARCHAR(500) NOT NULL DEFAULT '',
  ADD COLUMN IF NOT EXISTS figures JSON NULL,
  ADD COLUMN IF NOT EXISTS ended DATE NULL;
ALTER TABLE circuit ADD UNIQUE KEY IF NOT EXISTS circuit_position (unit_id, position);
ALTER TABLE circuit ADD CONSTRAINT FOREIGN KEY IF NOT EXISTS circuit_plan (plan_id) REFERENCES plan (id);

-- How many circuits the unit has that have not ended, and the entries that the others had when they
-- ended; and the unit of its other meter.
ALTER TABLE unit
  ADD COLUMN IF NOT EXISTS circuits TINYINT UNSIGNED NOT NULL DEFAULT 1 CHECK (circuits > 0),
  ADD COLUMN IF NOT EXISTS ended_seq BIGINT UNSIGNED NOT NULL DEFAULT 0,
  ADD COLUMN IF NOT EXISTS second_meter ENUM('km','h') NULL;

-- Planned work is on one circuit; 0 is the first one.
ALTER TABLE planned ADD COLUMN IF NOT EXISTS circuit_id BIGINT UNSIGNED NOT NULL DEFAULT 0;
ALTER TABLE planned ADD UNIQUE KEY IF NOT EXISTS planned_circuit (unit_id, circuit_id, work, is_open);
ALTER TABLE planned DROP INDEX IF EXISTS planned_once;

-- A clock names its circuit: rows of the way before are emptied (an empty CBOR array) and of no
-- basis, so that they read as unknown until they are evaluated anew.
UPDATE unit_status SET basis = REPEAT(CHAR(0), 16), governing = X'80', clocks = X'80', discrepancy = NULL;
DELETE FROM status_count;
INSERT INTO status_count (basis, of, n)
  SELECT REPEAT(CHAR(0), 16), verdict, COUNT(*) FROM unit_status GROUP BY verdict
  UNION ALL SELECT REPEAT(CHAR(0), 16), 'pending', COUNT(*) FROM unit_status WHERE pending = 1 HAVING COUNT(*) > 0
  UNION ALL SELECT REPEAT(CHAR(0), 16), 'night', COUNT(*) FROM unit_status WHERE night IS NOT NULL HAVING COUNT(*) > 0
  UNION ALL SELECT REPEAT(CHAR(0), 16), 'discrepant', COUNT(*) FROM unit_status WHERE discrepant = 1 HAVING COUNT(*) > 0;

-- +goose Down
DELETE FROM planned WHERE circuit_id <> 0;
ALTER TABLE planned ADD UNIQUE KEY IF NOT EXISTS planned_once (unit_id, work, is_open);
ALTER TABLE planned DROP INDEX IF EXISTS planned_circuit, DROP COLUMN IF EXISTS circuit_id;
ALTER TABLE unit DROP COLUMN IF EXISTS circuits, DROP COLUMN IF EXISTS ended_seq, DROP COLUMN IF EXISTS second_meter;
ALTER TABLE circuit DROP FOREIGN KEY IF EXISTS circuit_plan, DROP INDEX IF EXISTS circuit_position, DROP COLUMN IF EXISTS position, DROP COLUMN IF EXISTS plan_id,
  DROP COLUMN IF EXISTS capacity_l, DROP COLUMN IF EXISTS base, DROP COLUMN IF EXISTS cap_kpa, DROP COLUMN IF EXISTS tank_l_per_mm, DROP COLUMN IF EXISTS tank_marks_mm,
  DROP COLUMN IF EXISTS wet_liners, DROP COLUMN IF EXISTS metal, DROP COLUMN IF EXISTS silicate_free, DROP COLUMN IF EXISTS premix_only,
  DROP COLUMN IF EXISTS required_technology, DROP COLUMN IF EXISTS listed, DROP COLUMN IF EXISTS figures, DROP COLUMN IF EXISTS ended;
UPDATE unit_status SET basis = REPEAT(CHAR(0), 16), governing = X'80', clocks = X'80', discrepancy = NULL;

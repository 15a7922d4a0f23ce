-- Every statement can be run twice, see 00001.

-- +goose Up
-- The governing clock is held apart from the others, once: rows of the way before are emptied (an
-- empty CBOR array) and of no basis, so that they read as unknown until they are evaluated anew.
UPDATE unit_status SET basis = REPEAT(CHAR(0), 16), governing = X'80', clocks = X'80', discrepancy = NULL;
DELETE FROM status_count;
INSERT INTO status_count (basis, of, n)
  SELECT REPEAT(CHAR(0), 16), verdict, COUNT(*) FROM unit_status GROUP BY verdict
  UNION ALL SELECT REPEAT(CHAR(0), 16), 'pending', COUNT(*) FROM unit_status WHERE pending = 1 HAVING COUNT(*) > 0
  UNION ALL SELECT REPEAT(CHAR(0), 16), 'night', COUNT(*) FROM unit_status WHERE night IS NOT NULL HAVING COUNT(*) > 0
  UNION ALL SELECT REPEAT(CHAR(0), 16), 'discrepant', COUNT(*) FROM unit_status WHERE discrepant = 1 HAVING COUNT(*) > 0;

-- The long lists of an account are held apart from the rest, and are not written with each entry.
ALTER TABLE account ADD COLUMN IF NOT EXISTS older MEDIUMBLOB NOT NULL DEFAULT '';

-- +goose Down
ALTER TABLE account DROP COLUMN IF EXISTS older;
UPDATE unit_status SET basis = REPEAT(CHAR(0), 16), governing = X'F6', clocks = X'80', discrepancy = NULL;

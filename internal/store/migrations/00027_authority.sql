-- What a token may do beside its role, and whose it is: it ends with the account of its maker. Tokens from before may do what they
-- could, without the operations that no token may call.
-- +goose Up
ALTER TABLE api_token
  ADD COLUMN IF NOT EXISTS scope VARCHAR(10) CHARACTER SET ascii NOT NULL DEFAULT 'change',
  ADD COLUMN IF NOT EXISTS who_id BIGINT UNSIGNED NULL;
UPDATE api_token t JOIN person p ON p.name = t.who SET t.who_id = p.id WHERE t.who_id IS NULL;

-- Who lets an import run, and who reverses it: its lines are theirs, whoever brought the file.
ALTER TABLE import_run
  ADD COLUMN IF NOT EXISTS runner    VARCHAR(190) NULL,
  ADD COLUMN IF NOT EXISTS runner_id BIGINT UNSIGNED NULL,
  ADD COLUMN IF NOT EXISTS runner_role VARCHAR(20) CHARACTER SET ascii NULL;

-- +goose Down
ALTER TABLE import_run DROP COLUMN IF EXISTS runner, DROP COLUMN IF EXISTS runner_id, DROP COLUMN IF EXISTS runner_role;
ALTER TABLE api_token DROP COLUMN IF EXISTS scope, DROP COLUMN IF EXISTS who_id;

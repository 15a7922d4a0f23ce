-- Every statement can be run twice, see 00001.

-- +goose Up
-- A job: a piece of work on a circuit. setup is the unit as it was when the job began and what is to be done, as JSON, and is
-- never changed. phase, next_step, empty, paused, used and ended_at follow from the events and serve the lists.
CREATE TABLE IF NOT EXISTS job (
  id         CHAR(36) CHARACTER SET ascii COLLATE ascii_bin NOT NULL PRIMARY KEY,
  circuit_id BIGINT UNSIGNED NOT NULL,
  person_id  BIGINT UNSIGNED NOT NULL,
  who        VARCHAR(190) NOT NULL,
  exercise   BOOLEAN NOT NULL,
  setup      LONGTEXT NOT NULL,
  started_at DATETIME(6) NOT NULL,
  updated_at DATETIME(6) NOT NULL,
  ended_at   DATETIME(6) NULL,
  phase      VARCHAR(20) CHARACTER SET ascii NOT NULL,
  next_step  VARCHAR(80) CHARACTER SET ascii NOT NULL,
  empty      BOOLEAN NOT NULL,
  paused     VARCHAR(500) NOT NULL,
  used       DOUBLE NOT NULL,
  events     INT UNSIGNED NOT NULL,
  head_hash  BINARY(32) NOT NULL,
  -- One job at a time on a circuit; exercises and ended jobs do not count.
  open_on    BIGINT UNSIGNED AS (IF(exercise OR ended_at IS NOT NULL, NULL, circuit_id)) PERSISTENT,
  UNIQUE KEY job_open_on (open_on),
  KEY job_circuit (circuit_id, started_at),
  KEY job_ended (ended_at, started_at),
  CONSTRAINT job_of_circuit FOREIGN KEY (circuit_id) REFERENCES circuit (id)
) ENGINE=InnoDB;

-- What happened on a job, in the order of its arrival; rows are only added. body is the event as JSON; hash is over the hash of
-- the one before and the body, the first one over the setup.
CREATE TABLE IF NOT EXISTS job_event (
  job_id      CHAR(36) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  seq         INT UNSIGNED NOT NULL,
  id          CHAR(36) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  recorded_at DATETIME(6) NOT NULL,
  body        LONGTEXT NOT NULL,
  hash        BINARY(32) NOT NULL,
  PRIMARY KEY (job_id, seq),
  UNIQUE KEY job_event_id (id),
  CONSTRAINT job_event_of FOREIGN KEY (job_id) REFERENCES job (id)
) ENGINE=InnoDB;

-- A parameter of the methods as a coordinator set it for a unit or a type; NULL for the common value again. The last line counts.
CREATE TABLE IF NOT EXISTS job_parameter (
  id        BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  of_unit   BOOLEAN NOT NULL,
  record_id BIGINT UNSIGNED NOT NULL,
  code      VARCHAR(40) CHARACTER SET ascii NOT NULL,
  value     DOUBLE NULL,
  why       VARCHAR(300) NOT NULL,
  set_at    DATETIME(6) NOT NULL,
  who       VARCHAR(190) NOT NULL,
  who_id    BIGINT UNSIGNED NOT NULL,
  KEY job_parameter_of (of_unit, record_id, code, id)
) ENGINE=InnoDB;

-- +goose Down
DROP TABLE IF EXISTS job_parameter, job_event, job;

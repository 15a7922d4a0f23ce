-- Every statement can be run twice, see 00001.

-- +goose Up
-- A technician who is planned with: skills, days, hours and absences are facts of the register; who signs in is a person.
CREATE TABLE IF NOT EXISTS technician (
  id    BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  name  VARCHAR(80) NOT NULL,
  facts LONGTEXT NULL,
  UNIQUE KEY technician_name (name)
) ENGINE=InnoDB;

ALTER TABLE register_change MODIFY record ENUM('unit','type','site','product','instrument','technician') NOT NULL;

-- The plan as a whole: its revision grows with each change, which is how others see that there was one.
CREATE TABLE IF NOT EXISTS plan_state (
  id       TINYINT UNSIGNED NOT NULL PRIMARY KEY,
  revision BIGINT UNSIGNED NOT NULL
) ENGINE=InnoDB;
INSERT IGNORE INTO plan_state (id, revision) VALUES (1, 0);

-- Where a line of the work list is placed. A bay is the bay_number-th of its kind at its site, as the register counts them.
-- sequence grows with each change of the line, also when it is taken off and placed again: calendars know it by that.
CREATE TABLE IF NOT EXISTS placement (
  planned_id    BIGINT UNSIGNED NOT NULL PRIMARY KEY,
  day           DATE NULL,
  site_id       BIGINT UNSIGNED NULL,
  bay_kind      VARCHAR(20) CHARACTER SET ascii NULL,
  bay_number    SMALLINT UNSIGNED NULL,
  technician_id BIGINT UNSIGNED NULL,
  pinned        BOOLEAN NOT NULL DEFAULT FALSE,
  sequence      INT UNSIGNED NOT NULL,
  changed_at    DATETIME(6) NOT NULL,
  who           VARCHAR(190) NOT NULL,
  KEY placement_day (day),
  CONSTRAINT placement_of FOREIGN KEY (planned_id) REFERENCES planned (id),
  CONSTRAINT placement_site FOREIGN KEY (site_id) REFERENCES site (id),
  CONSTRAINT placement_technician FOREIGN KEY (technician_id) REFERENCES technician (id)
) ENGINE=InnoDB;

-- Changes of the plan, for undo and redo: body is each placement before and after, as JSON.
CREATE TABLE IF NOT EXISTS plan_change (
  id     BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  at     DATETIME(6) NOT NULL,
  who_id BIGINT UNSIGNED NOT NULL,
  who    VARCHAR(190) NOT NULL,
  what   VARCHAR(20) CHARACTER SET ascii NOT NULL,
  body   LONGTEXT NOT NULL,
  undone BOOLEAN NOT NULL DEFAULT FALSE,
  KEY plan_change_who (who_id, id)
) ENGINE=InnoDB;

-- Weeks that are agreed, by their Monday, and what they held when they were: what was planned against what was done.
CREATE TABLE IF NOT EXISTS plan_week (
  monday    DATE NOT NULL PRIMARY KEY,
  agreed_at DATETIME(6) NOT NULL,
  who       VARCHAR(190) NOT NULL
) ENGINE=InnoDB;
CREATE TABLE IF NOT EXISTS plan_agreed (
  monday     DATE NOT NULL,
  planned_id BIGINT UNSIGNED NOT NULL,
  day        DATE NOT NULL,
  done_on    DATE NULL,
  PRIMARY KEY (monday, planned_id),
  CONSTRAINT plan_agreed_of FOREIGN KEY (planned_id) REFERENCES planned (id)
) ENGINE=InnoDB;

-- Secret addresses of calendars; the secret is kept by its SHA-256 alone.
CREATE TABLE IF NOT EXISTS calendar_feed (
  id         BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  of         VARCHAR(20) CHARACTER SET ascii NOT NULL,
  target     VARCHAR(120) NOT NULL,
  secret     BINARY(32) NOT NULL,
  made_at    DATETIME(6) NOT NULL,
  who        VARCHAR(190) NOT NULL,
  revoked_at DATETIME(6) NULL,
  UNIQUE KEY calendar_feed_secret (secret)
) ENGINE=InnoDB;

-- +goose Down
DROP TABLE IF EXISTS calendar_feed, plan_agreed, plan_week, plan_change, placement, plan_state, technician;

-- Runs and their items. An item is held by a token until its lease is over; `item_key` makes adding it twice harmless.
CREATE TABLE IF NOT EXISTS runs (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  kind VARCHAR(40) CHARACTER SET ascii NOT NULL,
  title VARCHAR(200) NOT NULL,
  state VARCHAR(10) CHARACTER SET ascii NOT NULL DEFAULT 'waiting',
  is_open TINYINT NOT NULL DEFAULT 0,
  is_urgent TINYINT NOT NULL DEFAULT 0,
  total INT UNSIGNED NOT NULL DEFAULT 0,
  done INT UNSIGNED NOT NULL DEFAULT 0,
  failed INT UNSIGNED NOT NULL DEFAULT 0,
  skipped INT UNSIGNED NOT NULL DEFAULT 0,
  sample_at DATETIME(3) NULL,
  sample_ended INT UNSIGNED NOT NULL DEFAULT 0,
  sample_rate DOUBLE NULL,
  made_by VARCHAR(120) NOT NULL,
  created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  started_at DATETIME(3) NULL,
  claimed_at DATETIME(3) NULL,
  finished_at DATETIME(3) NULL,
  updated_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  PRIMARY KEY (id),
  KEY runs_state (state, is_urgent, claimed_at),
  KEY runs_updated (updated_at)
);

CREATE TABLE IF NOT EXISTS run_items (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  run_id BIGINT UNSIGNED NOT NULL,
  item_key VARCHAR(120) NOT NULL,
  title VARCHAR(300) NOT NULL,
  input TEXT NOT NULL,
  state VARCHAR(10) CHARACTER SET ascii NOT NULL DEFAULT 'waiting',
  attempts SMALLINT UNSIGNED NOT NULL DEFAULT 0,
  not_before DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  token CHAR(32) CHARACTER SET ascii NULL,
  lease_until DATETIME(3) NULL,
  worker VARCHAR(120) NULL,
  note TEXT NULL,
  error TEXT NULL,
  started_at DATETIME(3) NULL,
  finished_at DATETIME(3) NULL,
  PRIMARY KEY (id),
  UNIQUE KEY run_items_key (run_id, item_key),
  KEY run_items_waiting (run_id, state, id),
  KEY run_items_lease (state, lease_until)
);

CREATE TABLE IF NOT EXISTS workers (
  id VARCHAR(120) NOT NULL,
  seen_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  PRIMARY KEY (id)
);

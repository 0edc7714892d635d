-- How stores grow, and what is sent to them, by five minutes. Older servers keep working.
CREATE TABLE IF NOT EXISTS store_history (
  -- 0 for the home store.
  store_id BIGINT UNSIGNED NOT NULL,
  at DATETIME NOT NULL,
  -- What it held then; NULL when only the bytes sent are known.
  bytes BIGINT UNSIGNED NULL,
  copies BIGINT UNSIGNED NULL,
  sent BIGINT UNSIGNED NOT NULL DEFAULT 0,
  PRIMARY KEY (store_id, at),
  KEY store_history_at (at)
);

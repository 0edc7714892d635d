-- The outbox: every change writes its event in its own transaction; live updates, hooks and histories read it.
CREATE TABLE IF NOT EXISTS events (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  type VARCHAR(40) CHARACTER SET ascii NOT NULL,
  asset_id BIGINT UNSIGNED NULL,
  actor VARCHAR(120) NOT NULL,
  data TEXT NOT NULL,
  at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  PRIMARY KEY (id),
  KEY events_asset (asset_id, id)
);

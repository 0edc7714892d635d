-- Connections to outside systems; their secrets are encrypted. Older servers keep working.
CREATE TABLE IF NOT EXISTS connections (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  kind VARCHAR(20) CHARACTER SET ascii NOT NULL,
  name VARCHAR(120) NOT NULL,
  settings TEXT NOT NULL,
  secret VARCHAR(4000) CHARACTER SET ascii NULL,
  secret_set_at DATETIME(3) NULL,
  revision INT UNSIGNED NOT NULL DEFAULT 1,
  created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  updated_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  PRIMARY KEY (id),
  UNIQUE KEY connections_name (name)
);

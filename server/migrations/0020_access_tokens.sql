-- Short-lived tokens that a site's server asks for and hands to a browser. Older servers don't know them and refuse them.
CREATE TABLE IF NOT EXISTS access_tokens (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  secret_hash CHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  name VARCHAR(120) NOT NULL,
  rights TEXT NOT NULL,
  folder VARCHAR(1000) NOT NULL,
  origin VARCHAR(300) NULL,
  allow TEXT NOT NULL,
  max_bytes BIGINT UNSIGNED NULL,
  max_items INT UNSIGNED NULL,
  used_items INT UNSIGNED NOT NULL DEFAULT 0,
  -- Who asked for it: a token ends with the key, or with the user.
  key_id BIGINT UNSIGNED NULL,
  user_id BIGINT UNSIGNED NULL,
  created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  expires_at DATETIME(3) NOT NULL,
  PRIMARY KEY (id),
  UNIQUE KEY access_tokens_secret (secret_hash),
  KEY access_tokens_expiry (expires_at),
  CONSTRAINT access_tokens_key FOREIGN KEY (key_id) REFERENCES api_keys (id) ON DELETE CASCADE,
  CONSTRAINT access_tokens_user FOREIGN KEY (user_id) REFERENCES users (id) ON DELETE CASCADE
);

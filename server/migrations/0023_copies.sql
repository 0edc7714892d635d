-- Copies of files in stores besides the home store, where folders want them, and who may read what. Older servers keep
-- working; they serve private files to everybody, so update all servers before files are made private.
CREATE TABLE IF NOT EXISTS stores (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  name VARCHAR(40) NOT NULL,
  connection_id BIGINT UNSIGNED NOT NULL,
  -- The base address of a content network; NULL takes the connection's.
  public_url VARCHAR(500) NULL,
  -- How often it is audited; NULL for never.
  audit_days SMALLINT UNSIGNED NULL,
  audited_at DATETIME(3) NULL,
  revision INT UNSIGNED NOT NULL DEFAULT 1,
  created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  PRIMARY KEY (id),
  UNIQUE KEY stores_name (name),
  CONSTRAINT stores_connection FOREIGN KEY (connection_id) REFERENCES connections (id)
);

-- `recipe` is empty for an original. A row is never given another key; deleting moves its key to `discarded_objects`.
CREATE TABLE IF NOT EXISTS placed_copies (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  asset_id BIGINT UNSIGNED NOT NULL,
  store_id BIGINT UNSIGNED NOT NULL,
  recipe VARCHAR(40) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  variant VARCHAR(16) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  sha256 CHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  state VARCHAR(10) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  store_key VARCHAR(1024) COLLATE utf8mb4_bin NOT NULL,
  bytes BIGINT UNSIGNED NOT NULL,
  mime VARCHAR(100) CHARACTER SET ascii NOT NULL,
  etag VARCHAR(200) NULL,
  error VARCHAR(500) NULL,
  -- Since when the library no longer shows these bytes here.
  stale_at DATETIME(3) NULL,
  checked_at DATETIME(3) NULL,
  created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  -- Keys are too long for an index.
  key_hash BINARY(8) AS (UNHEX(LEFT(SHA1(store_key), 16))) PERSISTENT,
  PRIMARY KEY (id),
  KEY placed_copies_key (store_id, key_hash),
  UNIQUE KEY placed_copies_file (asset_id, store_id, recipe, variant, sha256),
  KEY placed_copies_state (store_id, state, id),
  KEY placed_copies_bytes (sha256, state),
  KEY placed_copies_stale (stale_at)
);

-- Objects to delete; nothing is stored under their keys again.
CREATE TABLE IF NOT EXISTS discarded_objects (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  store_id BIGINT UNSIGNED NOT NULL,
  store_key VARCHAR(1024) COLLATE utf8mb4_bin NOT NULL,
  asset_id BIGINT UNSIGNED NOT NULL,
  recipe VARCHAR(40) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  variant VARCHAR(16) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  bytes BIGINT UNSIGNED NOT NULL,
  discarded_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  PRIMARY KEY (id),
  KEY discarded_objects_asset (asset_id),
  KEY discarded_objects_store (store_id, id)
);

CREATE TABLE IF NOT EXISTS folder_placements (
  folder_id BIGINT UNSIGNED NOT NULL,
  -- The ids of stores, as a JSON list.
  stores TEXT CHARACTER SET ascii NOT NULL,
  serve_from BIGINT UNSIGNED NULL,
  -- NULL keeps the home store's copy; otherwise for how many days.
  keep_days SMALLINT UNSIGNED NULL,
  PRIMARY KEY (folder_id)
);

ALTER TABLE folders ADD COLUMN IF NOT EXISTS visibility VARCHAR(8) CHARACTER SET ascii NULL, ADD KEY IF NOT EXISTS folders_visibility (visibility);
ALTER TABLE assets ADD COLUMN IF NOT EXISTS visibility VARCHAR(8) CHARACTER SET ascii NULL, ADD KEY IF NOT EXISTS assets_visibility (visibility);
-- Set by an audit that found the home store's copy missing or damaged.
ALTER TABLE copies ADD COLUMN IF NOT EXISTS damaged_at DATETIME(3) NULL;
-- Set when the bytes were deleted there, because they are stored elsewhere.
ALTER TABLE copies ADD COLUMN IF NOT EXISTS left_at DATETIME(3) NULL;
-- Set when somebody brought it back; placements leave it then.
ALTER TABLE copies ADD COLUMN IF NOT EXISTS fetched_at DATETIME(3) NULL;

-- Addresses of private files that expire. Only the digest of a token is stored.
CREATE TABLE IF NOT EXISTS asset_links (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  token CHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  asset_id BIGINT UNSIGNED NOT NULL,
  recipe VARCHAR(40) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  variant VARCHAR(16) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  expires_at DATETIME(3) NOT NULL,
  max_downloads INT UNSIGNED NULL,
  downloads INT UNSIGNED NOT NULL DEFAULT 0,
  -- The bytes asked for, parts included.
  asked_bytes BIGINT UNSIGNED NOT NULL DEFAULT 0,
  last_at DATETIME(3) NULL,
  made_by VARCHAR(120) NOT NULL,
  created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  PRIMARY KEY (id),
  UNIQUE KEY asset_links_token (token),
  KEY asset_links_asset (asset_id),
  KEY asset_links_end (expires_at)
);

-- What audits found and nobody has repaired yet.
CREATE TABLE IF NOT EXISTS audit_findings (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  -- 0 for the home store.
  store_id BIGINT UNSIGNED NOT NULL,
  run_id BIGINT UNSIGNED NOT NULL,
  reason VARCHAR(12) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  store_key VARCHAR(1024) COLLATE utf8mb4_bin NOT NULL,
  sha256 CHAR(64) CHARACTER SET ascii COLLATE ascii_bin NULL,
  copy_id BIGINT UNSIGNED NULL,
  asset_id BIGINT UNSIGNED NULL,
  bytes BIGINT UNSIGNED NULL,
  found_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  PRIMARY KEY (id),
  KEY audit_findings_store (store_id, reason, id)
);

-- How far the events of the library were followed, and when the home store was audited.
CREATE TABLE IF NOT EXISTS copy_cursor (
  one TINYINT NOT NULL DEFAULT 1,
  seq BIGINT UNSIGNED NOT NULL DEFAULT 0,
  home_audited_at DATETIME(3) NULL,
  created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  PRIMARY KEY (one)
);
INSERT IGNORE INTO copy_cursor (one, seq) VALUES (1, 0);

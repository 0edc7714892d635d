-- Folders, blobs and their copies, assets and their versions, old addresses, kept counts.
CREATE TABLE IF NOT EXISTS folders (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  parent_id BIGINT UNSIGNED NULL,
  path VARCHAR(600) NOT NULL COLLATE utf8mb4_bin,
  colour VARCHAR(20) NULL,
  items INT UNSIGNED NOT NULL DEFAULT 0,
  bytes BIGINT UNSIGNED NOT NULL DEFAULT 0,
  rules TEXT NULL,
  revision INT UNSIGNED NOT NULL DEFAULT 1,
  created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  PRIMARY KEY (id),
  UNIQUE KEY folders_path (path),
  KEY folders_parent (parent_id)
);

INSERT IGNORE INTO folders (id, parent_id, path) VALUES (1, NULL, '/');

CREATE TABLE IF NOT EXISTS blobs (
  sha256 CHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  bytes BIGINT UNSIGNED NOT NULL,
  crc32 CHAR(8) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  PRIMARY KEY (sha256)
);

CREATE TABLE IF NOT EXISTS copies (
  sha256 CHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  store VARCHAR(40) NOT NULL,
  store_key VARCHAR(255) NOT NULL,
  created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  PRIMARY KEY (sha256, store)
);

-- `live` is 1, or NULL in the bin: unique keys ignore rows in the bin. `captured_key` and `name_key` are what lists sort by.
CREATE TABLE IF NOT EXISTS assets (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  folder_id BIGINT UNSIGNED NOT NULL,
  name VARCHAR(200) NOT NULL COLLATE utf8mb4_bin,
  name_key VARCHAR(200) COLLATE utf8mb4_bin AS (LOWER(name)) PERSISTENT,
  address_stem VARCHAR(200) NOT NULL COLLATE utf8mb4_bin,
  live TINYINT NULL DEFAULT 1,
  kind VARCHAR(12) CHARACTER SET ascii NOT NULL,
  mime VARCHAR(100) CHARACTER SET ascii NOT NULL,
  sha256 CHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  version INT UNSIGNED NOT NULL DEFAULT 1,
  bytes BIGINT UNSIGNED NOT NULL,
  width INT UNSIGNED NULL,
  height INT UNSIGNED NULL,
  orientation TINYINT UNSIGNED NULL,
  duration DOUBLE NULL,
  title VARCHAR(500) NULL,
  alt TEXT NULL,
  caption TEXT NULL,
  credit VARCHAR(500) NULL,
  keywords TEXT NOT NULL,
  captured_at DATETIME(3) NULL,
  captured_key DATETIME(3) AS (COALESCE(captured_at, TIMESTAMP'1000-01-01 00:00:00')) PERSISTENT,
  focal_x DOUBLE NULL,
  focal_y DOUBLE NULL,
  placeholder VARCHAR(2000) CHARACTER SET ascii NULL,
  intake_id BIGINT UNSIGNED NULL,
  origin_by VARCHAR(120) NOT NULL,
  origin_via VARCHAR(10) CHARACTER SET ascii NOT NULL,
  sent_as VARCHAR(500) NOT NULL,
  verdict TEXT NOT NULL,
  revision INT UNSIGNED NOT NULL DEFAULT 1,
  created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  updated_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  deleted_at DATETIME(3) NULL,
  PRIMARY KEY (id),
  UNIQUE KEY assets_name (folder_id, live, name),
  UNIQUE KEY assets_stem (folder_id, live, address_stem),
  KEY assets_by_created (folder_id, live, created_at, id),
  KEY assets_by_captured (folder_id, live, captured_key, id),
  KEY assets_by_size (folder_id, live, bytes, id),
  KEY assets_by_name (folder_id, live, name_key, id),
  KEY all_assets_by_created (live, created_at, id),
  KEY all_assets_by_captured (live, captured_key, id),
  KEY all_assets_by_size (live, bytes, id),
  KEY all_assets_by_name (live, name_key, id),
  KEY assets_blob (sha256)
);

CREATE TABLE IF NOT EXISTS asset_versions (
  asset_id BIGINT UNSIGNED NOT NULL,
  n INT UNSIGNED NOT NULL,
  sha256 CHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  bytes BIGINT UNSIGNED NOT NULL,
  mime VARCHAR(100) CHARACTER SET ascii NOT NULL,
  width INT UNSIGNED NULL,
  height INT UNSIGNED NULL,
  made_by VARCHAR(120) NOT NULL,
  created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  PRIMARY KEY (asset_id, n),
  KEY asset_versions_blob (sha256)
);

-- Old addresses: `path` is "/folder/name.jpg" for an original, "/folder/stem~" for its renditions, "/folder/" for a folder.
CREATE TABLE IF NOT EXISTS forwards (
  path_hash CHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  path TEXT NOT NULL,
  asset_id BIGINT UNSIGNED NULL,
  folder_id BIGINT UNSIGNED NULL,
  created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  PRIMARY KEY (path_hash),
  KEY forwards_asset (asset_id)
);

-- Counts that are kept instead of counted, changed in the transaction that changes what they count.
CREATE TABLE IF NOT EXISTS tallies (
  scope VARCHAR(60) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  name VARCHAR(60) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  items BIGINT NOT NULL DEFAULT 0,
  bytes BIGINT NOT NULL DEFAULT 0,
  PRIMARY KEY (scope, name)
);

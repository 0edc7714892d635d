-- Folders of style sheets, scripts and fonts that are placed in stores. Older servers keep working.
CREATE TABLE IF NOT EXISTS site_folders (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  name VARCHAR(40) NOT NULL,
  folder VARCHAR(1000) NOT NULL COLLATE utf8mb4_bin,
  -- Where the site serves it.
  url VARCHAR(500) NOT NULL COLLATE utf8mb4_bin,
  store_id BIGINT UNSIGNED NOT NULL,
  rewrite_pages TINYINT UNSIGNED NOT NULL DEFAULT 0,
  -- NULL until it has been placed.
  release_id CHAR(12) CHARACTER SET ascii COLLATE ascii_bin NULL,
  placed_at DATETIME(3) NULL,
  -- The base address in the store that pages were given.
  page_base VARCHAR(700) NULL COLLATE utf8mb4_bin,
  revision INT UNSIGNED NOT NULL DEFAULT 1,
  created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  PRIMARY KEY (id),
  UNIQUE KEY site_folders_name (name),
  CONSTRAINT site_folders_store FOREIGN KEY (store_id) REFERENCES stores (id)
);

-- The files of releases, earlier ones included. A folder that is deleted leaves them to the cleanup.
CREATE TABLE IF NOT EXISTS site_files (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  folder_id BIGINT UNSIGNED NOT NULL,
  release_id CHAR(12) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  path VARCHAR(500) NOT NULL COLLATE utf8mb4_bin,
  store_id BIGINT UNSIGNED NOT NULL,
  store_key VARCHAR(1024) NOT NULL COLLATE utf8mb4_bin,
  sha256 CHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  integrity VARCHAR(80) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  bytes BIGINT UNSIGNED NOT NULL,
  mime VARCHAR(100) CHARACTER SET ascii NOT NULL,
  stored_at DATETIME(3) NULL,
  replaced_at DATETIME(3) NULL,
  key_hash BINARY(8) AS (UNHEX(LEFT(SHA1(store_key), 16))) PERSISTENT,
  PRIMARY KEY (id),
  UNIQUE KEY site_files_path (folder_id, release_id, path),
  KEY site_files_key (store_id, key_hash),
  KEY site_files_replaced (replaced_at)
);

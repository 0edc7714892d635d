-- Sources of pages, their documents, and every address in them; how often each asset is used. Older servers keep working.
CREATE TABLE IF NOT EXISTS page_sources (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  kind VARCHAR(12) CHARACTER SET ascii NOT NULL,
  name VARCHAR(120) NOT NULL,
  settings TEXT NOT NULL,
  revision INT UNSIGNED NOT NULL DEFAULT 1,
  created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  indexed_at DATETIME(3) NULL,
  PRIMARY KEY (id),
  UNIQUE KEY page_sources_name (name)
);
-- `stamp` tells whether a document has changed since it was read.
CREATE TABLE IF NOT EXISTS page_documents (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  source_id BIGINT UNSIGNED NOT NULL,
  path VARCHAR(4096) NOT NULL COLLATE utf8mb4_bin,
  path_hash CHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  stamp VARCHAR(80) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  title VARCHAR(300) NULL,
  url VARCHAR(2000) NULL,
  encoding VARCHAR(40) CHARACTER SET ascii NULL,
  fault VARCHAR(300) NULL,
  address_count INT UNSIGNED NOT NULL,
  indexed_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  PRIMARY KEY (id),
  UNIQUE KEY page_documents_path (source_id, path_hash)
);
-- `place` is the hash of a media address as in `forwards`: that of an original, or of the stem of renditions.
CREATE TABLE IF NOT EXISTS page_references (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  document_id BIGINT UNSIGNED NOT NULL,
  source_id BIGINT UNSIGNED NOT NULL,
  position INT UNSIGNED NOT NULL,
  attribute VARCHAR(60) NOT NULL,
  address VARCHAR(2000) NOT NULL COLLATE utf8mb4_bin,
  state VARCHAR(8) CHARACTER SET ascii NOT NULL,
  reason VARCHAR(20) CHARACTER SET ascii NULL,
  place CHAR(64) CHARACTER SET ascii COLLATE ascii_bin NULL,
  asset_id BIGINT UNSIGNED NULL,
  recipe VARCHAR(64) NULL,
  variant VARCHAR(40) NULL,
  PRIMARY KEY (id),
  KEY page_references_document (document_id, position),
  KEY page_references_state (state, source_id, id),
  KEY page_references_place (place, asset_id),
  KEY page_references_asset (asset_id, id)
);
CREATE TABLE IF NOT EXISTS asset_uses (
  asset_id BIGINT UNSIGNED NOT NULL,
  uses INT UNSIGNED NOT NULL,
  PRIMARY KEY (asset_id),
  KEY asset_uses_count (uses, asset_id)
);

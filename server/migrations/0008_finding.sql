-- Finding: what a filter asks stands in indexes, and how many answer it stands in kept counts.
-- `lacks` has a bit for each thing that is empty: 1 title, 2 alt, 4 caption, 8 credit, 16 keywords, 32 capture date.
ALTER TABLE assets
  ADD COLUMN IF NOT EXISTS ratio_key INT UNSIGNED AS (ROUND(1000 * width / NULLIF(height, 0))) PERSISTENT AFTER height,
  ADD COLUMN IF NOT EXISTS lacks TINYINT UNSIGNED AS (
    IF(title IS NULL, 1, 0) + IF(alt IS NULL, 2, 0) + IF(caption IS NULL, 4, 0) + IF(credit IS NULL, 8, 0)
    + IF(keywords = '[]', 16, 0) + IF(captured_at IS NULL, 32, 0)) PERSISTENT AFTER captured_key;

-- The order by arrival is walked most often: it carries what filters ask, so that rows are read for hits alone.
ALTER TABLE assets
  DROP INDEX IF EXISTS all_assets_by_created,
  DROP INDEX IF EXISTS all_assets_by_size,
  DROP INDEX IF EXISTS all_assets_by_captured,
  DROP INDEX IF EXISTS assets_blob;
ALTER TABLE assets
  ADD INDEX IF NOT EXISTS all_assets_by_created (live, created_at, id, kind, mime, bytes, width, height, ratio_key, lacks, captured_key, folder_id),
  ADD INDEX IF NOT EXISTS all_assets_by_size (live, bytes, id, created_at),
  ADD INDEX IF NOT EXISTS all_assets_by_captured (live, captured_key, id, created_at),
  ADD INDEX IF NOT EXISTS assets_blob (sha256, live, created_at, id),
  ADD INDEX IF NOT EXISTS assets_by_kind (live, kind, created_at, id),
  ADD INDEX IF NOT EXISTS assets_by_mime (live, mime, created_at, id),
  ADD INDEX IF NOT EXISTS assets_by_lacks (live, lacks, created_at, id),
  ADD INDEX IF NOT EXISTS assets_by_width (live, width, created_at, id),
  ADD INDEX IF NOT EXISTS assets_by_height (live, height, created_at, id),
  ADD INDEX IF NOT EXISTS assets_by_ratio (live, ratio_key, created_at, id),
  ADD INDEX IF NOT EXISTS assets_in_bin (deleted_at, id);

-- Every word is found, also "the" and "not".
SET SESSION innodb_ft_enable_stopword = 0;
ALTER TABLE assets
  ADD COLUMN IF NOT EXISTS words MEDIUMTEXT COLLATE utf8mb4_general_ci AS (
    CONCAT_WS(' ', name COLLATE utf8mb4_general_ci, title, alt, caption, credit, keywords)) PERSISTENT AFTER keywords;
ALTER TABLE assets ADD FULLTEXT INDEX IF NOT EXISTS assets_words (words);

CREATE TABLE IF NOT EXISTS asset_keywords (
  keyword VARCHAR(100) NOT NULL,
  asset_id BIGINT UNSIGNED NOT NULL,
  PRIMARY KEY (keyword, asset_id),
  KEY asset_keywords_asset (asset_id)
);
INSERT IGNORE INTO asset_keywords (keyword, asset_id)
  SELECT listed.word, assets.id
  FROM assets JOIN JSON_TABLE(assets.keywords, '$[*]' COLUMNS (word VARCHAR(100) PATH '$')) AS listed
  WHERE listed.word <> '';

-- How many live assets answer each simple question, kept in the transaction that changes it. `num` orders those that are numbers or days.
CREATE TABLE IF NOT EXISTS facets (
  scope VARCHAR(12) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  name VARCHAR(190) NOT NULL,
  num BIGINT NULL,
  items BIGINT NOT NULL DEFAULT 0,
  PRIMARY KEY (scope, name),
  KEY facets_num (scope, num, items)
);

-- How many live assets hold a blob: more than one makes each of them a duplicate.
ALTER TABLE blobs ADD COLUMN IF NOT EXISTS holders INT NOT NULL DEFAULT 0;
ALTER TABLE blobs ADD INDEX IF NOT EXISTS blobs_holders (holders);
UPDATE blobs SET holders = (SELECT COUNT(*) FROM assets WHERE assets.sha256 = blobs.sha256 AND assets.live = 1);

CREATE TABLE IF NOT EXISTS saved_filters (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  name VARCHAR(100) NOT NULL,
  q VARCHAR(2000) NOT NULL,
  made_by VARCHAR(120) NOT NULL,
  created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  PRIMARY KEY (id),
  UNIQUE KEY saved_filters_name (name)
);

-- Near pictures: a hash is cut into four bands of 16 bits; what is near agrees nearly in one of them.
CREATE TABLE IF NOT EXISTS asset_bands (
  band TINYINT UNSIGNED NOT NULL,
  value SMALLINT UNSIGNED NOT NULL,
  asset_id BIGINT UNSIGNED NOT NULL,
  PRIMARY KEY (band, value, asset_id),
  KEY asset_bands_asset (asset_id)
);

-- Pictures that look alike, found when the later one is looked at. `a` is the older.
CREATE TABLE IF NOT EXISTS similar_pairs (
  a BIGINT UNSIGNED NOT NULL,
  b BIGINT UNSIGNED NOT NULL,
  distance TINYINT UNSIGNED NOT NULL,
  PRIMARY KEY (a, b),
  KEY similar_pairs_b (b),
  KEY similar_pairs_distance (distance, a, b)
);

-- More ways in: a batch knows its way and the run that works on it; items weigh as many files as they hold; the inbox is remembered.
ALTER TABLE intakes
  ADD COLUMN IF NOT EXISTS way VARCHAR(12) CHARACTER SET ascii NOT NULL DEFAULT 'upload' AFTER via,
  ADD COLUMN IF NOT EXISTS label VARCHAR(500) NULL AFTER way,
  ADD COLUMN IF NOT EXISTS run_id BIGINT UNSIGNED NULL AFTER label,
  ADD COLUMN IF NOT EXISTS archive CHAR(64) CHARACTER SET ascii COLLATE ascii_bin NULL AFTER run_id;

ALTER TABLE run_items ADD COLUMN IF NOT EXISTS weight INT UNSIGNED NOT NULL DEFAULT 1 AFTER input;
ALTER TABLE run_items MODIFY COLUMN input MEDIUMTEXT NOT NULL;

-- `link` is what is known of media kept elsewhere, as JSON; `phash` is the perceptual hash of a picture.
ALTER TABLE assets
  ADD COLUMN IF NOT EXISTS link TEXT NULL AFTER placeholder,
  ADD COLUMN IF NOT EXISTS phash CHAR(16) CHARACTER SET ascii COLLATE ascii_bin NULL AFTER link;

-- Files seen in the inbox: the digest is computed when it is needed, and holds as long as size and time stay the same.
CREATE TABLE IF NOT EXISTS inbox_files (
  path_hash CHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  path VARCHAR(2000) NOT NULL COLLATE utf8mb4_bin,
  bytes BIGINT UNSIGNED NOT NULL,
  mtime_ms DOUBLE NOT NULL,
  sha256 CHAR(64) CHARACTER SET ascii COLLATE ascii_bin NULL,
  asset_id BIGINT UNSIGNED NULL,
  run_id BIGINT UNSIGNED NULL,
  PRIMARY KEY (path_hash),
  KEY inbox_files_run (run_id)
);

-- Resumable uploads that ended, with what came of them: a page that was reloaded asks here.
CREATE TABLE IF NOT EXISTS uploads (
  id VARCHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  principal VARCHAR(40) CHARACTER SET ascii NOT NULL,
  result TEXT NULL,
  created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  PRIMARY KEY (id)
);

CREATE TABLE IF NOT EXISTS settings (
  name VARCHAR(60) CHARACTER SET ascii NOT NULL,
  value TEXT NOT NULL,
  updated_by VARCHAR(120) NOT NULL,
  updated_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  PRIMARY KEY (name)
);

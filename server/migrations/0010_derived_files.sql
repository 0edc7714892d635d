-- Ladders and further formats, what a rendition was made from, revisions of recipes, requests, removed renditions,
-- pictures on request, what runs changed in bytes, and what workers do. An older server can't write renditions any more.
ALTER TABLE renditions
  ADD COLUMN IF NOT EXISTS variant VARCHAR(16) CHARACTER SET ascii COLLATE ascii_bin NOT NULL DEFAULT '' AFTER recipe,
  ADD COLUMN IF NOT EXISTS content CHAR(32) CHARACTER SET ascii COLLATE ascii_bin NULL,
  ADD COLUMN IF NOT EXISTS source_sha CHAR(64) CHARACTER SET ascii COLLATE ascii_bin NULL,
  ADD COLUMN IF NOT EXISTS focal VARCHAR(24) CHARACTER SET ascii NOT NULL DEFAULT '',
  ADD COLUMN IF NOT EXISTS marks CHAR(32) CHARACTER SET ascii COLLATE ascii_bin NULL,
  ADD COLUMN IF NOT EXISTS work_ms INT UNSIGNED NULL,
  ADD COLUMN IF NOT EXISTS quality TINYINT UNSIGNED NULL,
  ADD COLUMN IF NOT EXISTS likeness DOUBLE NULL,
  ADD KEY IF NOT EXISTS renditions_blob (sha256);
ALTER TABLE renditions DROP PRIMARY KEY, ADD PRIMARY KEY (asset_id, recipe, variant);
ALTER TABLE renditions
  DROP KEY IF EXISTS renditions_by_recipe,
  ADD KEY IF NOT EXISTS renditions_in_recipe (recipe, variant, state, asset_id),
  ADD KEY IF NOT EXISTS renditions_by_state (state, recipe, asset_id, variant);

ALTER TABLE recipes ADD COLUMN IF NOT EXISTS ladder TEXT NULL;

CREATE TABLE IF NOT EXISTS recipe_revisions (
  name VARCHAR(40) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  revision INT UNSIGNED NOT NULL,
  recipe MEDIUMTEXT NOT NULL,
  made_by VARCHAR(120) NOT NULL,
  created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  PRIMARY KEY (name, revision)
);

-- Each address that was given up leads on; the bytes stay for thirty days, so that it can be undone.
CREATE TABLE IF NOT EXISTS removed_renditions (
  asset_id BIGINT UNSIGNED NOT NULL,
  recipe VARCHAR(40) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  variant VARCHAR(16) CHARACTER SET ascii COLLATE ascii_bin NOT NULL DEFAULT '',
  mime VARCHAR(100) CHARACTER SET ascii NOT NULL,
  width INT UNSIGNED NOT NULL,
  height INT UNSIGNED NOT NULL,
  bytes BIGINT UNSIGNED NOT NULL,
  sha256 CHAR(64) CHARACTER SET ascii COLLATE ascii_bin NULL,
  run_id BIGINT UNSIGNED NOT NULL,
  removed_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  PRIMARY KEY (asset_id, recipe, variant),
  KEY removed_renditions_blob (sha256),
  KEY removed_renditions_run (run_id)
);

CREATE TABLE IF NOT EXISTS rendition_requests (
  asset_id BIGINT UNSIGNED NOT NULL,
  recipe VARCHAR(40) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  variant VARCHAR(16) CHARACTER SET ascii COLLATE ascii_bin NOT NULL DEFAULT '',
  requests BIGINT UNSIGNED NOT NULL DEFAULT 0,
  last_at DATETIME(3) NOT NULL,
  PRIMARY KEY (asset_id, recipe, variant)
);

-- Pictures that were asked for by a signed or a IIIF address, kept until they are not used for long.
CREATE TABLE IF NOT EXISTS pictures_on_request (
  digest CHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  asset_id BIGINT UNSIGNED NOT NULL,
  sha256 CHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  mime VARCHAR(100) CHARACTER SET ascii NOT NULL,
  width INT UNSIGNED NOT NULL,
  height INT UNSIGNED NOT NULL,
  bytes BIGINT UNSIGNED NOT NULL,
  used_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  PRIMARY KEY (digest),
  KEY pictures_on_request_used (used_at),
  KEY pictures_on_request_asset (asset_id),
  KEY pictures_on_request_blob (sha256)
);

ALTER TABLE runs
  ADD COLUMN IF NOT EXISTS bytes_before BIGINT UNSIGNED NOT NULL DEFAULT 0,
  ADD COLUMN IF NOT EXISTS bytes_after BIGINT UNSIGNED NOT NULL DEFAULT 0;
ALTER TABLE run_items
  ADD COLUMN IF NOT EXISTS bytes_before BIGINT UNSIGNED NULL,
  ADD COLUMN IF NOT EXISTS bytes_after BIGINT UNSIGNED NULL,
  ADD COLUMN IF NOT EXISTS reason VARCHAR(160) NULL,
  ADD KEY IF NOT EXISTS run_items_reason (state, reason);

ALTER TABLE workers
  ADD COLUMN IF NOT EXISTS host VARCHAR(120) NOT NULL DEFAULT '',
  ADD COLUMN IF NOT EXISTS pid INT UNSIGNED NOT NULL DEFAULT 0,
  ADD COLUMN IF NOT EXISTS slots SMALLINT UNSIGNED NOT NULL DEFAULT 1,
  ADD COLUMN IF NOT EXISTS started_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3);
CREATE TABLE IF NOT EXISTS worker_minutes (
  minute DATETIME NOT NULL,
  worker VARCHAR(120) NOT NULL,
  done INT UNSIGNED NOT NULL DEFAULT 0,
  failed INT UNSIGNED NOT NULL DEFAULT 0,
  busy_ms BIGINT UNSIGNED NOT NULL DEFAULT 0,
  PRIMARY KEY (minute, worker)
);

ALTER TABLE assets ADD COLUMN IF NOT EXISTS optimise VARCHAR(12) CHARACTER SET ascii NULL;
ALTER TABLE asset_versions ADD COLUMN IF NOT EXISTS optimised_from INT UNSIGNED NULL;

-- Keeping: what a bulk edit changed can be taken back; a version remembers its orientation, its placeholder follows the current one.
ALTER TABLE asset_versions
  ADD COLUMN IF NOT EXISTS orientation TINYINT UNSIGNED NULL AFTER height,
  ADD COLUMN IF NOT EXISTS restored_from INT UNSIGNED NULL AFTER orientation;

CREATE TABLE IF NOT EXISTS bulk_changes (
  run_id BIGINT UNSIGNED NOT NULL,
  asset_id BIGINT UNSIGNED NOT NULL,
  before_values MEDIUMTEXT NOT NULL,
  after_values MEDIUMTEXT NOT NULL,
  undone TINYINT NOT NULL DEFAULT 0,
  PRIMARY KEY (run_id, asset_id)
);

ALTER TABLE runs
  ADD COLUMN IF NOT EXISTS undo_of BIGINT UNSIGNED NULL AFTER skipped;

-- Blobs lie one level less deep; the disk store brings them up when it starts.
UPDATE copies SET store_key = CONCAT('blobs/', LEFT(sha256, 2), '/', sha256) WHERE store = 'server';

-- The map counts where files came from: until now that was the console or a script.
UPDATE tallies SET scope = 'from', name = IF(name = 'console', 'console', 'script') WHERE scope = 'via';

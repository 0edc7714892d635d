-- Pages that follow their files to a store. Older servers keep working; they take addresses of stores for addresses of
-- other sites, so update all servers before a placement rewrites pages.
ALTER TABLE folder_placements ADD COLUMN IF NOT EXISTS rewrite_pages TINYINT UNSIGNED NOT NULL DEFAULT 0;

-- Base addresses that pages were given: they are still recognised after a store was given another one.
CREATE TABLE IF NOT EXISTS store_bases (
  store_id BIGINT UNSIGNED NOT NULL,
  base VARCHAR(700) COLLATE utf8mb4_bin NOT NULL,
  PRIMARY KEY (store_id, base)
);

-- Assets whose addresses on pages may have to be rewritten, and the last reference that was looked at.
CREATE TABLE IF NOT EXISTS assets_to_follow (
  asset_id BIGINT UNSIGNED NOT NULL,
  reference_id BIGINT UNSIGNED NOT NULL DEFAULT 0,
  PRIMARY KEY (asset_id)
);

-- Recipes and the renditions they make; one row for each asset and recipe.
CREATE TABLE IF NOT EXISTS recipes (
  name VARCHAR(40) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  title VARCHAR(200) NOT NULL,
  kinds TEXT NOT NULL,
  folders TEXT NOT NULL,
  made_when VARCHAR(12) CHARACTER SET ascii NOT NULL,
  steps TEXT NOT NULL,
  output TEXT NOT NULL,
  revision INT UNSIGNED NOT NULL DEFAULT 1,
  created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  PRIMARY KEY (name)
);

CREATE TABLE IF NOT EXISTS renditions (
  asset_id BIGINT UNSIGNED NOT NULL,
  recipe VARCHAR(40) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  state VARCHAR(10) CHARACTER SET ascii NOT NULL,
  revision INT UNSIGNED NULL,
  version INT UNSIGNED NULL,
  sha256 CHAR(64) CHARACTER SET ascii COLLATE ascii_bin NULL,
  mime VARCHAR(100) CHARACTER SET ascii NULL,
  width INT UNSIGNED NULL,
  height INT UNSIGNED NULL,
  bytes BIGINT UNSIGNED NULL,
  error TEXT NULL,
  updated_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  PRIMARY KEY (asset_id, recipe),
  KEY renditions_by_recipe (recipe, state, asset_id)
);

-- What a run rewrites, and every edit that it makes, stored before it is made. Older servers keep working.
CREATE TABLE IF NOT EXISTS page_rewrites (
  run_id BIGINT UNSIGNED NOT NULL,
  rules LONGTEXT NOT NULL,
  PRIMARY KEY (run_id)
);
CREATE TABLE IF NOT EXISTS page_edits (
  run_id BIGINT UNSIGNED NOT NULL,
  source_id BIGINT UNSIGNED NOT NULL,
  path_hash CHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  path VARCHAR(4096) NOT NULL COLLATE utf8mb4_bin,
  edits LONGTEXT NOT NULL,
  sha256_before CHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  sha256_after CHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  state VARCHAR(8) CHARACTER SET ascii NOT NULL,
  PRIMARY KEY (run_id, source_id, path_hash)
);

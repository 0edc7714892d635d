-- Passwords of sources, encrypted; when a site may be asked next; what its answers were. Older servers keep working.
ALTER TABLE page_sources ADD COLUMN IF NOT EXISTS secret VARCHAR(2000) CHARACTER SET ascii NULL AFTER settings;
ALTER TABLE page_sources ADD COLUMN IF NOT EXISTS secret_set_at DATETIME(3) NULL AFTER secret;
ALTER TABLE page_sources ADD COLUMN IF NOT EXISTS next_request_at DATETIME(6) NULL;
ALTER TABLE page_sources ADD COLUMN IF NOT EXISTS crawl_run BIGINT UNSIGNED NULL;
-- `seen_run` is the last crawl that found a page; `base` is its `<base href>`.
ALTER TABLE page_documents ADD COLUMN IF NOT EXISTS base VARCHAR(2000) NULL AFTER url;
ALTER TABLE page_documents ADD COLUMN IF NOT EXISTS seen_run BIGINT UNSIGNED NULL;
-- `place` is the hash of an address as in `page_references`; `fault` is null where it answered as it should.
CREATE TABLE IF NOT EXISTS page_checks (
  source_id BIGINT UNSIGNED NOT NULL,
  place CHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  fault VARCHAR(200) NULL,
  run_id BIGINT UNSIGNED NOT NULL,
  PRIMARY KEY (source_id, place)
);

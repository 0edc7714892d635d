-- Earlier paths of pages: they lead to where a page is now. Older servers keep working.
CREATE TABLE IF NOT EXISTS site_page_paths (
  path_hash CHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  path VARCHAR(1000) NOT NULL,
  page_id BIGINT UNSIGNED NOT NULL,
  left_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  PRIMARY KEY (path_hash),
  KEY site_page_paths_page (page_id)
);

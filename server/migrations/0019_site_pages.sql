-- Pages kept here, their types, every state they had, and who edits them now. Older servers keep working.
CREATE TABLE IF NOT EXISTS page_types (
  name VARCHAR(60) CHARACTER SET ascii NOT NULL,
  title VARCHAR(120) NOT NULL,
  slots TEXT NOT NULL,
  regions TEXT NOT NULL,
  revision INT UNSIGNED NOT NULL DEFAULT 1,
  PRIMARY KEY (name)
);
INSERT IGNORE INTO page_types (name, title, slots, regions) VALUES ('page', 'Page', '[]', '["main"]');
-- `path` follows from the slugs of a page and those above it. The content is in `site_page_revisions`.
CREATE TABLE IF NOT EXISTS site_pages (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  type VARCHAR(60) CHARACTER SET ascii NOT NULL,
  parent_id BIGINT UNSIGNED NULL,
  slug VARCHAR(120) NOT NULL,
  path VARCHAR(1000) NOT NULL,
  path_hash CHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  title VARCHAR(300) NOT NULL,
  in_navigation TINYINT NOT NULL DEFAULT 1,
  position INT NOT NULL DEFAULT 0,
  revision INT UNSIGNED NOT NULL DEFAULT 1,
  published_revision INT UNSIGNED NULL,
  published_at DATETIME(3) NULL,
  updated_by VARCHAR(120) NOT NULL,
  created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  updated_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  PRIMARY KEY (id),
  UNIQUE KEY site_pages_path (path_hash),
  KEY site_pages_parent (parent_id, position, id)
);
CREATE TABLE IF NOT EXISTS site_page_revisions (
  page_id BIGINT UNSIGNED NOT NULL,
  revision INT UNSIGNED NOT NULL,
  title VARCHAR(300) NOT NULL,
  body MEDIUMTEXT NOT NULL,
  slots TEXT NOT NULL,
  regions TEXT NOT NULL,
  is_autosaved TINYINT NOT NULL DEFAULT 0,
  saved_by VARCHAR(120) NOT NULL,
  saved_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  PRIMARY KEY (page_id, revision)
);
CREATE TABLE IF NOT EXISTS site_page_editors (
  page_id BIGINT UNSIGNED NOT NULL,
  who VARCHAR(120) NOT NULL,
  seen_at DATETIME(3) NOT NULL,
  PRIMARY KEY (page_id, who)
);
INSERT IGNORE INTO page_sources (kind, name, settings) VALUES ('pages', 'Pages of this site', '{"writable": true}');

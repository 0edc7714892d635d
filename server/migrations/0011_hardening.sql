-- Requests under a key are claimed with a lease, and leave their answer in the commit of their effect. An older server does not
-- renew claims, so it may not run beside this one.
ALTER TABLE kept_answers
  ADD COLUMN IF NOT EXISTS headers TEXT NULL AFTER body,
  ADD COLUMN IF NOT EXISTS token CHAR(32) CHARACTER SET ascii COLLATE ascii_bin NULL,
  ADD COLUMN IF NOT EXISTS lease_until DATETIME(3) NULL,
  ADD KEY IF NOT EXISTS kept_answers_token (token);

-- What each part of a request did that is still going on: of an upload, one row for each file.
CREATE TABLE IF NOT EXISTS kept_parts (
  principal VARCHAR(40) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  idempotency_key VARCHAR(200) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  n INT UNSIGNED NOT NULL,
  digest VARCHAR(130) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  result MEDIUMTEXT NOT NULL,
  PRIMARY KEY (principal, idempotency_key, n)
);

-- The row that is locked while recipes change.
INSERT IGNORE INTO settings (name, value, updated_by) VALUES ('recipes', '{}', 'Uniferum'), ('inbox', '{}', 'Uniferum');

-- A run rests while what it runs on has a fault, and says why. Runs are looked at only when something in them may begin.
ALTER TABLE runs
  ADD COLUMN IF NOT EXISTS held_reason TEXT NULL,
  ADD COLUMN IF NOT EXISTS held_until DATETIME(3) NULL,
  ADD COLUMN IF NOT EXISTS held_times SMALLINT UNSIGNED NOT NULL DEFAULT 0;
ALTER TABLE run_items ADD KEY IF NOT EXISTS run_items_due (run_id, state, not_before);

-- Files of the inbox that were moved into the library, and are to be removed there: which file that was, as JSON.
ALTER TABLE inbox_files
  MODIFY COLUMN path VARCHAR(4096) NOT NULL COLLATE utf8mb4_bin,
  ADD COLUMN IF NOT EXISTS read_file VARCHAR(200) CHARACTER SET ascii NULL,
  ADD KEY IF NOT EXISTS inbox_files_read (read_file);

-- Whoever finishes a resumable upload, or writes a piece of one, holds it by a lease, whichever server that is.
ALTER TABLE uploads
  ADD COLUMN IF NOT EXISTS token CHAR(32) CHARACTER SET ascii COLLATE ascii_bin NULL,
  ADD COLUMN IF NOT EXISTS lease_until DATETIME(3) NULL;
CREATE TABLE IF NOT EXISTS upload_locks (
  id VARCHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  token CHAR(32) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  is_wanted TINYINT NOT NULL DEFAULT 0,
  lease_until DATETIME(3) NOT NULL,
  PRIMARY KEY (id)
);

-- Failed sign-ins are counted before the password is looked at: by account and source, by source, by account. The subject is a
-- digest.
DROP TABLE IF EXISTS sign_in_attempts;
CREATE TABLE IF NOT EXISTS sign_in_counts (
  subject CHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  failures INT UNSIGNED NOT NULL,
  since DATETIME(3) NOT NULL,
  PRIMARY KEY (subject),
  KEY sign_in_counts_since (since)
);

-- Events are numbered in the order in which they were committed, some at a time; listeners follow the numbers.
ALTER TABLE events
  MODIFY COLUMN data MEDIUMTEXT NOT NULL,
  ADD COLUMN IF NOT EXISTS seq BIGINT UNSIGNED NULL;
UPDATE events SET seq = id WHERE seq IS NULL;
ALTER TABLE events ADD UNIQUE KEY IF NOT EXISTS events_seq (seq);
INSERT IGNORE INTO settings (name, value, updated_by) VALUES ('events', '{}', 'Uniferum');

-- Which embedded metadata the public originals of a folder keep; null takes what holds above. Installations that have files
-- already go on publishing them as they were; new ones publish what says whose they are.
ALTER TABLE folders ADD COLUMN IF NOT EXISTS public_metadata VARCHAR(8) CHARACTER SET ascii NULL AFTER rules;
UPDATE folders SET public_metadata = 'all'
  WHERE path = '/' AND public_metadata IS NULL AND EXISTS (SELECT 1 FROM assets);
-- Of which pieces of an original its public form consists.
CREATE TABLE IF NOT EXISTS public_originals (
  sha256 CHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  kept VARCHAR(8) CHARACTER SET ascii NOT NULL,
  cleaner SMALLINT UNSIGNED NOT NULL,
  bytes BIGINT UNSIGNED NOT NULL,
  pieces MEDIUMTEXT NOT NULL,
  PRIMARY KEY (sha256, kept)
);

-- Earlier servers let previews of the source come along with all metadata: what was made so is made again.
UPDATE renditions JOIN recipes ON recipes.name = renditions.recipe
  SET renditions.state = 'outdated', renditions.content = ''
  WHERE renditions.state = 'fresh' AND JSON_VALUE(recipes.output, '$.metadata') = 'all';

-- Who verifies the kept counts holds this row; its value says what came of it.
INSERT IGNORE INTO settings (name, value, updated_by) VALUES ('counters', '{}', 'Uniferum');

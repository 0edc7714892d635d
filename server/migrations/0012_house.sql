-- What a run's kind states is kept with the run, so that runs can be read without knowing their kinds; and how many items
-- it has, so that they need not be counted. Older servers write runs without these, so none may run beside this one.
ALTER TABLE runs
  ADD COLUMN IF NOT EXISTS counts_bytes TINYINT NOT NULL DEFAULT 0 AFTER kind,
  ADD COLUMN IF NOT EXISTS can_undo TINYINT NOT NULL DEFAULT 0 AFTER counts_bytes,
  ADD COLUMN IF NOT EXISTS items INT UNSIGNED NOT NULL DEFAULT 0 AFTER total;
UPDATE runs SET counts_bytes = 1 WHERE kind IN ('renditions', 'renditions-soon', 'optimise', 'surplus-remove');
UPDATE runs SET can_undo = 1 WHERE kind IN ('bulk-edit', 'bulk-bin', 'surplus-remove');
UPDATE runs JOIN (SELECT run_id, COUNT(*) AS items FROM run_items GROUP BY run_id) counted ON counted.run_id = runs.id
  SET runs.items = counted.items;

-- Plain names: what counts by scope and name, and what a filter counts by.
RENAME TABLE IF EXISTS tallies TO counters, facets TO facet_counts;
ALTER TABLE assets RENAME COLUMN IF EXISTS lacks TO missing_fields, RENAME INDEX IF EXISTS assets_by_lacks TO assets_by_missing;
UPDATE facet_counts SET scope = 'missing' WHERE scope = 'lacks';
UPDATE counters SET name = 'warned' WHERE scope = 'verdict' AND name = 'remarked';

-- A file that is accepted with warnings has the outcome "warned"; rules about duplicates say what happens: warn, reuse.
ALTER TABLE intakes CHANGE COLUMN IF EXISTS remarked warned INT UNSIGNED NOT NULL DEFAULT 0;
UPDATE assets SET verdict = REPLACE(verdict, '"outcome":"remarked"', '"outcome":"warned"'), updated_at = updated_at
  WHERE verdict LIKE '%"outcome":"remarked"%';
UPDATE intake_files SET verdict = REPLACE(verdict, '"outcome":"remarked"', '"outcome":"warned"')
  WHERE verdict LIKE '%"outcome":"remarked"%';
UPDATE folders SET rules = REPLACE(REPLACE(rules, '"duplicates":"remark"', '"duplicates":"warn"'), '"duplicates":"point"', '"duplicates":"reuse"')
  WHERE rules LIKE '%"duplicates":"remark"%' OR rules LIKE '%"duplicates":"point"%';

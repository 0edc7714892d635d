import { type Executor, select, selectExpanded } from '../shared/database.js';

const MAX_FOUND = 100_000;

/** Each query finds violations of one data rule; `what` names the affected object. */
export const INVARIANT_QUERIES: readonly [what: string, sql: string][] = [
  [
    "folders whose parent is gone, or which don't lie below it",
    `SELECT folders.path AS what FROM folders
     LEFT JOIN folders AS parents ON parents.id = folders.parent_id
     WHERE folders.path <> '/' AND (parents.id IS NULL OR folders.path <>
       CONCAT(IF(parents.path = '/', '', parents.path), '/', SUBSTRING_INDEX(folders.path, '/', -1)))`,
  ],
  [
    'assets whose folder is gone',
    `SELECT assets.id AS what FROM assets LEFT JOIN folders ON folders.id = assets.folder_id WHERE folders.id IS NULL`,
  ],
  [
    'assets without the row of their current version, or with another content',
    `SELECT assets.id AS what FROM assets
     LEFT JOIN asset_versions ON asset_versions.asset_id = assets.id AND asset_versions.n = assets.version
     WHERE asset_versions.asset_id IS NULL OR asset_versions.sha256 <> assets.sha256 OR asset_versions.bytes <> assets.bytes`,
  ],
  [
    'versions of assets that are gone',
    `SELECT asset_versions.asset_id AS what FROM asset_versions LEFT JOIN assets ON assets.id = asset_versions.asset_id
     WHERE assets.id IS NULL`,
  ],
  [
    'versions whose bytes are not recorded',
    `SELECT asset_versions.sha256 AS what FROM asset_versions LEFT JOIN blobs ON blobs.sha256 = asset_versions.sha256
     WHERE blobs.sha256 IS NULL OR blobs.bytes <> asset_versions.bytes`,
  ],
  [
    'bytes that are recorded and kept nowhere',
    `SELECT blobs.sha256 AS what FROM blobs LEFT JOIN copies ON copies.sha256 = blobs.sha256 WHERE copies.sha256 IS NULL`,
  ],
  [
    'copies of bytes that are not recorded',
    `SELECT copies.sha256 AS what FROM copies LEFT JOIN blobs ON blobs.sha256 = copies.sha256 WHERE blobs.sha256 IS NULL`,
  ],
  [
    'renditions of assets that are gone',
    `SELECT CONCAT(renditions.asset_id, ' ', renditions.recipe) AS what FROM renditions
     LEFT JOIN assets ON assets.id = renditions.asset_id WHERE assets.id IS NULL`,
  ],
  [
    'renditions that are fresh and have no bytes, or whose bytes are not recorded',
    `SELECT CONCAT(renditions.asset_id, ' ', renditions.recipe, ' ', renditions.variant) AS what FROM renditions
     LEFT JOIN blobs ON blobs.sha256 = renditions.sha256
     WHERE (renditions.state = 'fresh' AND renditions.sha256 IS NULL) OR (renditions.sha256 IS NOT NULL AND blobs.sha256 IS NULL)`,
  ],
  [
    'events that were numbered twice, or left out of the numbers',
    `SELECT CONCAT(MIN(seq), '–', MAX(seq)) AS what FROM events WHERE seq IS NOT NULL
     HAVING MAX(seq) - MIN(seq) + 1 <> COUNT(*)`,
  ],
  [
    "runs that have ended and whose items don't add up",
    `SELECT id AS what FROM runs WHERE state IN ('done', 'failed') AND done + skipped + failed <> total`,
  ],
  [
    'runs that go on with nothing left to do',
    `SELECT runs.id AS what FROM runs
     WHERE runs.state IN ('waiting', 'working', 'stopping') AND runs.is_open = 0 AND runs.updated_at < NOW(3) - INTERVAL 10 MINUTE
       AND NOT EXISTS (SELECT 1 FROM run_items WHERE run_items.run_id = runs.id AND run_items.state IN ('waiting', 'working'))`,
  ],
  [
    'files of a batch that have an asset which is gone without having been purged',
    `SELECT intake_files.id AS what FROM intake_files
     LEFT JOIN assets ON assets.id = intake_files.asset_id
     WHERE intake_files.asset_id IS NOT NULL AND assets.id IS NULL
       AND NOT EXISTS (SELECT 1 FROM events WHERE events.type = 'asset.purged'
         AND (events.asset_id = intake_files.asset_id OR JSON_VALUE(events.data, '$.id') = intake_files.asset_id))`,
  ],
  [
    'assets whose number of uses is not that of the references to them',
    `SELECT used.asset_id AS what
     FROM (SELECT asset_id, COUNT(*) AS uses FROM page_references WHERE asset_id IS NOT NULL GROUP BY asset_id) AS used
     LEFT JOIN asset_uses ON asset_uses.asset_id = used.asset_id
     WHERE asset_uses.uses IS NULL OR asset_uses.uses <> used.uses`,
  ],
  [
    'references whose document is gone',
    `SELECT page_references.id AS what FROM page_references
     LEFT JOIN page_documents ON page_documents.id = page_references.document_id WHERE page_documents.id IS NULL`,
  ],
];

/** One violation. */
export async function findExamples(db: Executor, sql: string): Promise<unknown[]> {
  const rows = await select<{ what: unknown }>(db, `${sql} LIMIT ${MAX_FOUND}`);
  return rows.map(({ what }) => what);
}

/** Blobs that should be stored where this host can read them, in digest order, starting after the given digest. */
export function readKeptBytes(
  db: Executor,
  stores: readonly string[],
  after: string,
  limit: number,
): Promise<{ sha256: string; bytes: number }[]> {
  return selectExpanded(
    db,
    `SELECT blobs.sha256, blobs.bytes FROM blobs
     WHERE blobs.sha256 > ? AND EXISTS (SELECT 1 FROM copies WHERE copies.sha256 = blobs.sha256 AND copies.left_at IS NULL AND copies.store IN (?))
     ORDER BY blobs.sha256 LIMIT ?`,
    [after, [...stores], limit],
  );
}

import {
  change,
  changeExpanded,
  type Executor,
  select,
  selectExpanded,
  type Transaction,
} from '../shared/database.js';
import { sha256Of } from '../shared/sha256.js';

/** What is remembered about a file in the inbox; valid while size and time stay the same. */
export interface InboxRow {
  path: string;
  bytes: number;
  mtime_ms: number;
  sha256: string | null;
  /** Whether a run is about to import it. */
  is_coming: number;
}

const PAGE = 2000;

/** Reads what is remembered about files. */
export async function findInboxRows(db: Executor, paths: readonly string[]): Promise<Map<string, InboxRow>> {
  const found = new Map<string, InboxRow>();
  for (let at = 0; at < paths.length; at += PAGE) {
    const rows = await selectExpanded<InboxRow>(
      db,
      `SELECT inbox_files.path, inbox_files.bytes, inbox_files.mtime_ms, inbox_files.sha256,
              (runs.id IS NOT NULL) AS is_coming
       FROM inbox_files
       LEFT JOIN runs ON runs.id = inbox_files.run_id AND runs.state IN ('waiting', 'working', 'stopping', 'stopped')
       WHERE inbox_files.path_hash IN (?)`,
      [paths.slice(at, at + PAGE).map(sha256Of)],
    );
    for (const row of rows) found.set(row.path, row);
  }
  return found;
}

/** Stores the digests of files. */
export async function rememberDigests(
  db: Executor,
  files: readonly { path: string; bytes: number; mtimeMs: number; sha256: string }[],
): Promise<void> {
  if (files.length === 0) return;
  await changeExpanded(
    db,
    `INSERT INTO inbox_files (path_hash, path, bytes, mtime_ms, sha256) VALUES ?
     ON DUPLICATE KEY UPDATE bytes = VALUES(bytes), mtime_ms = VALUES(mtime_ms), sha256 = VALUES(sha256)`,
    [files.map(({ path, bytes, mtimeMs, sha256 }) => [sha256Of(path), path, bytes, mtimeMs, sha256])],
  );
}

/** Records that a run is about to import files. */
export async function markComing(
  tx: Transaction,
  runId: string,
  files: readonly { path: string; bytes: number; mtimeMs: number }[],
): Promise<void> {
  for (let at = 0; at < files.length; at += PAGE)
    await changeExpanded(
      tx,
      `INSERT INTO inbox_files (path_hash, path, bytes, mtime_ms, run_id) VALUES ?
       ON DUPLICATE KEY UPDATE sha256 = IF(bytes = VALUES(bytes) AND mtime_ms = VALUES(mtime_ms), sha256, NULL),
         bytes = VALUES(bytes), mtime_ms = VALUES(mtime_ms), run_id = VALUES(run_id)`,
      [
        files
          .slice(at, at + PAGE)
          .map(({ path, bytes, mtimeMs }) => [sha256Of(path), path, bytes, mtimeMs, runId]),
      ],
    );
}

/** Records the assets that files became. `readFile` identifies the file that was read, if it is to be removed. */
export async function rememberRegistered(
  tx: Transaction,
  files: readonly { path: string; sha256: string | null; assetId: string | null; readFile: string | null }[],
): Promise<void> {
  if (files.length === 0) return;
  await changeExpanded(
    tx,
    `INSERT INTO inbox_files (path_hash, path, bytes, mtime_ms, sha256, asset_id, read_file) VALUES ?
     ON DUPLICATE KEY UPDATE sha256 = VALUES(sha256), asset_id = VALUES(asset_id), read_file = VALUES(read_file)`,
    [
      files.map(({ path, sha256, assetId, readFile }) => [
        sha256Of(path),
        path,
        0,
        0,
        sha256,
        assetId,
        readFile,
      ]),
    ],
  );
}

/** Lists files that were moved into the library and may still be in the inbox. */
export async function listRead(db: Executor, limit: number): Promise<{ path: string; read_file: string }[]> {
  return select(
    db,
    'SELECT path, read_file FROM inbox_files WHERE read_file IS NOT NULL ORDER BY path_hash LIMIT ?',
    [limit],
  );
}

/** Finds which of the files are to be removed from the inbox. */
export async function findRead(
  db: Executor,
  paths: readonly string[],
): Promise<{ path: string; read_file: string }[]> {
  if (paths.length === 0) return [];
  return selectExpanded(
    db,
    'SELECT path, read_file FROM inbox_files WHERE read_file IS NOT NULL AND path_hash IN (?)',
    [paths.map(sha256Of)],
  );
}

/** Clears the mark that files are to be removed from the inbox. */
export async function forgetRead(db: Executor, paths: readonly string[]): Promise<void> {
  if (paths.length === 0) return;
  await changeExpanded(db, 'UPDATE inbox_files SET read_file = NULL WHERE path_hash IN (?)', [
    paths.map(sha256Of),
  ]);
}

/** Clears the mark that a run is about to import files. */
export async function forgetInboxRun(tx: Transaction, paths: readonly string[]): Promise<void> {
  if (paths.length === 0) return;
  await changeExpanded(tx, 'UPDATE inbox_files SET run_id = NULL WHERE path_hash IN (?)', [
    paths.map(sha256Of),
  ]);
}

/** Lets one request at a time decide what to import from the inbox, until the transaction ends. */
export async function holdInbox(tx: Transaction): Promise<void> {
  await change(
    tx,
    "INSERT IGNORE INTO settings (name, value, updated_by) VALUES ('inbox', '{}', 'Uniferum')",
  );
  await change(tx, "UPDATE settings SET updated_at = NOW(3) WHERE name = 'inbox'");
}

/** Finds which of these sizes occur among live assets. */
export async function findSizes(db: Executor, sizes: readonly number[]): Promise<Set<number>> {
  const found = new Set<number>();
  for (let at = 0; at < sizes.length; at += PAGE) {
    const rows = await selectExpanded<{ bytes: number }>(
      db,
      'SELECT DISTINCT bytes FROM assets FORCE INDEX (all_assets_by_size) WHERE live = 1 AND bytes IN (?)',
      [sizes.slice(at, at + PAGE)],
    );
    for (const { bytes } of rows) found.add(bytes);
  }
  return found;
}

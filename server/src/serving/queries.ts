import type { PublicMetadata } from '@uniferum/core/library';
import { change, type Executor, select, selectOne } from '../shared/database.js';

/** The stored public form of an original. */
export interface PublicOriginalRow {
  bytes: number;
  pieces: string;
}

export async function findPublicOriginal(
  db: Executor,
  sha256: string,
  kept: PublicMetadata,
  cleaner: number,
): Promise<PublicOriginalRow | null> {
  return selectOne<PublicOriginalRow>(
    db,
    'SELECT bytes, pieces FROM public_originals WHERE sha256 = ? AND kept = ? AND cleaner = ?',
    [sha256, kept, cleaner],
  );
}

export async function putPublicOriginal(
  db: Executor,
  sha256: string,
  kept: PublicMetadata,
  row: PublicOriginalRow & { cleaner: number },
): Promise<void> {
  await change(
    db,
    'REPLACE INTO public_originals (sha256, kept, cleaner, bytes, pieces) VALUES (?, ?, ?, ?, ?)',
    [sha256, kept, row.cleaner, row.bytes, row.pieces],
  );
}

/** Deletes public forms of deleted originals, in batches. @returns how many */
export async function deleteOrphanedPublicOriginals(db: Executor): Promise<number> {
  const rows = await select<{ sha256: string }>(
    db,
    `SELECT DISTINCT sha256 FROM public_originals
     WHERE NOT EXISTS (SELECT 1 FROM blobs WHERE blobs.sha256 = public_originals.sha256)
     LIMIT 500`,
  );
  for (const { sha256 } of rows) await change(db, 'DELETE FROM public_originals WHERE sha256 = ?', [sha256]);
  return rows.length;
}

import { folderName, joinPath, parentPath } from '@uniferum/core/library';
import { allWatermarks, type Recipe } from '@uniferum/core/recipes';
import { type AssetRow, findAsset, findAssetByName } from '../library/asset-queries.js';
import { findForward } from '../library/folder-queries.js';
import type { BorrowedFile, ByteStore } from '../shared/byte-store.js';
import type { Executor } from '../shared/database.js';
import type { MarkFile } from './engine/marks.js';

/** The watermarks of recipes by path; null for one that is no longer in the library. */
export type FoundMarks = ReadonlyMap<string, Pick<AssetRow, 'id' | 'sha256' | 'mime'> | null>;

/** Looks up the watermarks of recipes. A picture that was moved or renamed is found at its new location. */
export async function findMarks(
  db: Executor,
  recipes: readonly Pick<Recipe, 'steps'>[],
): Promise<FoundMarks> {
  const found = new Map<string, AssetRow | null>();
  for (const path of allWatermarks(recipes)) found.set(path, await findMark(db, path));
  return found;
}

async function findMark(db: Executor, path: string): Promise<AssetRow | null> {
  const [folder, name] = [parentPath(path) ?? '/', folderName(path)];
  const here = await findAssetByName(db, folder, name);
  if (here) return here;
  const forward = await findForward(db, joinPath(folder, name));
  const moved = forward?.assetId ? await findAsset(db, forward.assetId) : null;
  return moved?.live === 1 ? moved : null;
}

/** Borrows the files of the watermarks found, for the rendering processes. */
export async function borrowMarks(
  marks: FoundMarks,
  store: ByteStore,
): Promise<{ files: Record<string, MarkFile>; release(): Promise<void> }> {
  const files: Record<string, MarkFile> = {};
  const borrowed: BorrowedFile[] = [];
  const release = async () => {
    await Promise.all(borrowed.map((file) => file.release()));
  };
  try {
    for (const [path, mark] of marks) {
      const file = mark && (await store.borrow(mark.sha256));
      if (file) borrowed.push(file);
      files[path] = { path: file?.path ?? null };
    }
  } catch (error) {
    await release();
    throw error;
  }
  return { files, release };
}

import { joinPath, type MediaAddress, parentPath, pathChain } from '@uniferum/core/library';
import { type AssetRow, findAsset, findAssetByName, findAssetIdByStem } from '../library/asset-queries.js';
import { findFolder, findForward } from '../library/folder-queries.js';
import type { Executor } from '../shared/database.js';

/** The maximum number of folder moves and renames followed in a row. */
const MAX_FOLDER_FORWARDS = 8;

/** Finds the live asset that used to be at an address; null when none did. */
export async function findOldAddress(db: Executor, address: MediaAddress): Promise<AssetRow | null> {
  let folder = address.folder;
  for (let hops = 0; hops < MAX_FOLDER_FORWARDS; hops += 1) {
    const found = await findForwarded(db, { ...address, folder }, hops > 0);
    if (found !== null) return found;
    const next = await movedFolder(db, folder);
    if (next === null || next === folder) return null;
    folder = next;
  }
  return null;
}

async function findForwarded(
  db: Executor,
  address: MediaAddress,
  mayBeLive: boolean,
): Promise<AssetRow | null> {
  const key = joinPath(address.folder, address.kind === 'original' ? address.name : `${address.stem}~`);
  const forward = await findForward(db, key);
  const id = forward?.assetId ?? (mayBeLive ? await findLiveId(db, address) : null);
  const asset = id === null ? null : await findAsset(db, id);
  return asset === null || asset.live === null ? null : asset;
}

async function findLiveId(db: Executor, address: MediaAddress): Promise<string | null> {
  if (address.kind === 'rendition') return findAssetIdByStem(db, address.folder, address.stem);
  const asset = await findAssetByName(db, address.folder, address.name);
  return asset && String(asset.id);
}

/** Follows the nearest moved or renamed folder on the path. */
async function movedFolder(db: Executor, path: string): Promise<string | null> {
  for (const step of pathChain(path).reverse()) {
    if (parentPath(step) === null) return null;
    const forward = await findForward(db, `${step}/`);
    const folder = forward?.folderId ? await findFolder(db, forward.folderId) : null;
    if (folder) return folder.path + path.slice(step.length);
  }
  return null;
}

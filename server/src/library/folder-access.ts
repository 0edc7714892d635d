import { isCleanable } from '@uniferum/core/inspection';
import {
  DEFAULT_PUBLIC_METADATA,
  type FolderAccessAnswer,
  type FolderAccessChange,
  type PublicMetadata,
  pathChain,
  resolveAccess,
} from '@uniferum/core/library';
import { recordEvent } from '../events/outbox.js';
import { type Database, type Executor, inTransaction } from '../shared/database.js';
import { notFound } from '../shared/errors.js';
import { requireMatch, revisionTag } from '../shared/etag.js';
import { findAccess, findPublicMetadata, updateFolderAccess } from './access-queries.js';
import type { AssetRow } from './asset-queries.js';
import { folderChanged } from './events.js';
import { findFolder } from './folder-queries.js';

/** Which embedded metadata the originals in a folder publish. */
export async function publicMetadataOf(db: Executor, path: string): Promise<PublicMetadata> {
  return resolveAccess(await findAccess(db, pathChain(path))).publicMetadata.value;
}

/** Finds which originals hold metadata that their folders may withhold: nobody is given an address of the stored bytes. */
export async function findWithholding(
  db: Executor,
  rows: readonly Pick<AssetRow, 'id' | 'mime' | 'folder_path'>[],
): Promise<Set<number>> {
  const folders = await findPublicMetadata(db);
  const keptIn = (folder: string) => {
    const nearest = pathChain(folder).findLast((path) => folders.has(path));
    return (nearest && folders.get(nearest)) || DEFAULT_PUBLIC_METADATA;
  };
  return new Set(
    rows
      .filter(({ mime, folder_path }) => isCleanable(mime) && keptIn(folder_path) !== 'all')
      .map(({ id }) => id),
  );
}

/** Reads a folder's access settings with an entity tag. @throws UniferumError `not-found` */
export async function readAccess(
  db: Executor,
  id: string,
): Promise<{ access: FolderAccessAnswer; etag: string }> {
  const folder = await findFolder(db, id);
  if (folder === null) throw notFound(`Folder ${id}`);
  const chain = await findAccess(db, pathChain(folder.path));
  return {
    access: {
      own: chain.find(({ path }) => path === folder.path)?.access ?? {
        visibility: null,
        publicMetadata: null,
      },
      effective: resolveAccess(chain),
    },
    etag: revisionTag(id, folder.revision),
  };
}

/** Replaces a folder's own access settings. Without a visibility, the one it has stays. @throws UniferumError `not-found`, `stale-state` */
export async function putAccess(
  db: Database,
  id: string,
  wanted: FolderAccessChange,
  { by, ifMatch }: { by: string; ifMatch: string | undefined },
): Promise<void> {
  await inTransaction(db, async (tx) => {
    const folder = await findFolder(tx, id, { lock: true });
    if (folder === null) throw notFound(`Folder ${id}`);
    requireMatch(ifMatch, revisionTag(id, folder.revision), folder.path);
    const [before] = await findAccess(tx, [folder.path]);
    const access = {
      ...wanted,
      visibility: wanted.visibility === undefined ? (before?.access.visibility ?? null) : wanted.visibility,
    };
    await updateFolderAccess(tx, id, access);
    await recordEvent(tx, { event: folderChanged, by, data: { id, path: folder.path, access } });
  });
}

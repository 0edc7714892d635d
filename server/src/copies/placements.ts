import {
  type EffectivePlacement,
  estimatePlacing,
  type FolderPlacement,
  type FolderPlacementAnswer,
  measureSending,
  type PlacingEstimate,
  resolvePlacement,
  type StorePrices,
} from '@uniferum/core/copies';
import { isWithin } from '@uniferum/core/library';
import { recordEvent } from '../events/outbox.js';
import { folderChanged } from '../library/events.js';
import { findFolder, touchFolder } from '../library/folder-queries.js';
import { type Database, type Executor, inTransaction, type Transaction } from '../shared/database.js';
import { notFound, UniferumError } from '../shared/errors.js';
import { requireMatch, revisionTag } from '../shared/etag.js';
import {
  countUnplaced,
  deletePlacement,
  listLatelyStored,
  listPlacements,
  putPlacementRow,
  type StoredPlacement,
} from './placement-queries.js';
import { rememberBases } from './store-addresses.js';
import { listStores } from './store-queries.js';

/** The placement that holds in a folder, with the ids of stores. */
export async function placementsIn(
  db: Executor,
  path: string,
): Promise<Omit<StoredPlacement, 'folderId' | 'path'>> {
  return (
    nearestOf(await listPlacements(db), path) ?? {
      ...{ stores: [], serveFrom: null, keepLocal: true, rewritePages: false },
    }
  );
}

/** The placement of the nearest folder that has one. */
export function nearestOf(placements: readonly StoredPlacement[], path: string): StoredPlacement | null {
  return placements.findLast((one) => isWithin(path, one.path)) ?? null;
}

/** Reads a folder's placement with an entity tag. @throws UniferumError `not-found` */
export async function readPlacement(
  db: Executor,
  id: string,
): Promise<{ placement: FolderPlacementAnswer; etag: string }> {
  const folder = await findFolder(db, id);
  if (folder === null) throw notFound(`Folder ${id}`);
  const names = new Map((await listStores(db)).map((store) => [store.id, store.name]));
  const chain = (await listPlacements(db))
    .filter(({ path }) => isWithin(folder.path, path))
    .map((one) => ({ path: one.path, placement: named(one, names) }));
  const own = chain.find(({ path }) => path === folder.path)?.placement ?? null;
  const effective: EffectivePlacement = resolvePlacement(chain);
  return { placement: { own, effective }, etag: revisionTag(id, folder.revision) };
}

function named(
  { stores, serveFrom, keepLocal, rewritePages }: StoredPlacement,
  names: ReadonlyMap<number, string>,
) {
  return {
    stores: stores.map((id) => names.get(id)).filter((name) => name !== undefined),
    serveFrom: serveFrom === null ? null : (names.get(serveFrom) ?? null),
    ...{ keepLocal, rewritePages },
  };
}

/**
 * Replaces a folder's own placement; null takes what holds above.
 *
 * @param apply records in the same transaction what follows from it
 * @throws UniferumError `not-found`, `stale-state`, `malformed-request` for a store that does not exist
 */
export async function putPlacement(
  db: Database,
  id: string,
  placement: FolderPlacement | null,
  {
    by,
    ifMatch,
    apply,
  }: {
    by: string;
    ifMatch: string | undefined;
    apply: (tx: Transaction, folder: { id: string; path: string }) => Promise<void>;
  },
): Promise<void> {
  await inTransaction(db, async (tx) => {
    const folder = await findFolder(tx, id, { lock: true });
    if (folder === null) throw notFound(`Folder ${id}`);
    requireMatch(ifMatch, revisionTag(id, folder.revision), folder.path);
    if (placement === null) await deletePlacement(tx, id);
    else await putPlacementRow(tx, id, await withIds(tx, placement));
    if (placement?.rewritePages) await rememberBases(tx);
    await touchFolder(tx, id);
    await recordEvent(tx, { event: folderChanged, by, data: { id, path: folder.path, placement } });
    await apply(tx, { id, path: folder.path });
  });
}

/**
 * Estimates what a placement would store, from what it lacks now. Nothing is changed.
 *
 * @throws UniferumError `not-found`, `malformed-request` for a store that does not exist
 */
export async function estimatePlacement(
  db: Executor,
  id: string,
  placement: FolderPlacement | null,
  prices: StorePrices | null,
): Promise<PlacingEstimate> {
  const folder = await findFolder(db, id);
  if (folder === null) throw notFound(`Folder ${id}`);
  const stores = placement === null ? [] : (await withIds(db, placement)).stores;
  const total = { files: 0, bytes: 0 };
  for (const store of stores) {
    const { files, bytes } = await countUnplaced(db, folder.path, store);
    total.files += files;
    total.bytes += bytes;
  }
  return estimatePlacing(total, measureSending(await listLatelyStored(db)), prices);
}

async function withIds(db: Executor, { stores, serveFrom, keepLocal, rewritePages }: FolderPlacement) {
  const ids = new Map((await listStores(db)).map(({ id, name }) => [name, id]));
  const idOf = (name: string, field: string) => {
    const id = ids.get(name);
    if (id === undefined)
      throw new UniferumError('malformed-request', `There is no store "${name}".`, {
        errors: [{ field, code: 'unknown-store', message: `There is no store "${name}".` }],
      });
    return id;
  };
  return {
    stores: stores.map((name, n) => idOf(name, `stores.${n}`)),
    serveFrom: serveFrom === null ? null : idOf(serveFrom, 'serveFrom'),
    ...{ keepLocal, rewritePages },
  };
}

import { objectAddress } from '@uniferum/core/connections';
import { encodePath } from '@uniferum/core/library';
import { type AddressPair, needsCors } from '@uniferum/core/pages';
import type { Buckets, OpenStore } from '../../copies/buckets.js';
import type { ItemContext, ItemResult } from '../../runs/handler.js';
import { addItems, beginRun } from '../../runs/ledger.js';
import { defineRun } from '../../runs/run-kind.js';
import { type Database, inTransaction, type Transaction } from '../../shared/database.js';
import { UniferumError } from '../../shared/errors.js';
import { FetchFailure, fetchAddress } from '../../shared/outgoing.js';
import { type IndexTools, SourceFault } from '../opened-source.js';
import { beginRewriteIn } from '../rewrite.js';
import { isWritable } from '../source.js';
import { listSources } from '../source-queries.js';
import {
  clearReplaced,
  findSiteFolder,
  insertSiteFiles,
  listAllSiteFiles,
  listSiteFiles,
  listSiteFolders,
  type SiteFile,
  type SiteFolder,
  updatePageBase,
  updateRelease,
  updateStored,
} from './queries.js';
import { type Release, type ReleaseFile, readRelease } from './read-release.js';

/** Stores all files of a folder under an address of their own, then makes them the ones that pages are given. */
export const placeSiteRun = defineRun<{ folder: string }>({
  kind: 'place-site-assets',
  label: 'Place site assets',
});

/** What placing site assets requires. */
export type SiteTools = Pick<IndexTools, 'db' | 'config' | 'inspector'> & { buckets: Buckets };

/** Keys of site assets begin with it. */
export const SITE_ASSETS = 'site-assets/';
const PARALLEL = 8;
const RECORDED_TOGETHER = 64;
const MAX_MS = 6 * 3_600_000;
/** Nothing at the address of a release ever changes. */
const FOREVER = 'public, max-age=31536000, immutable';

export async function beginPlacingSite(db: Database, { id, name }: SiteFolder, by: string): Promise<string> {
  return inTransaction(db, async (tx) => {
    const run = await beginRun(tx, placeSiteRun, { title: `Placing the site assets ${name}`, by });
    await addItems(tx, run, placeSiteRun, [{ key: id, title: name, input: { folder: id } }]);
    return run;
  });
}

const DELETED: ItemResult = { outcome: 'skipped', note: 'It was deleted.' };

export function placeSiteHandler(tools: SiteTools) {
  return placeSiteRun.bind({
    maxMs: MAX_MS,
    async work({ folder: id }, context) {
      const folder = await findSiteFolder(tools.db, id);
      if (folder === null) return DELETED;
      try {
        const open = await tools.buckets.open(tools.db, folder.storeId);
        if (!open.isPublic)
          return { outcome: 'failed', error: `The store "${open.store.name}" has no public address.` };
        return await place(tools, folder, { open, context });
      } catch (error) {
        if (error instanceof SourceFault) return { outcome: 'failed', error: error.message };
        throw error;
      }
    },
  });
}

async function place(
  tools: SiteTools,
  folder: SiteFolder,
  { open, context }: { open: OpenStore; context: ItemContext },
): Promise<ItemResult> {
  const release = await readRelease(tools, folder);
  if (release.files.length === 0)
    return {
      outcome: 'failed',
      error: `${folder.folder} has no style sheets, scripts, fonts or pictures. Check the path.`,
    };
  const known = await record(tools.db, folder, release);
  if (known === null) return DELETED;
  const left = known.filter(({ stored_at }) => stored_at === null);
  if (folder.release === release.id && left.length === 0)
    return { outcome: 'skipped', note: 'Nothing has changed since it was last placed.' };
  await storeFiles(tools, { open, files: left, release, signal: context.signal });
  const paths = release.files.map(({ path }) => path);
  const problem = await findProblem(tools.config, { ...folder, release: release.id }, { open, paths });
  if (problem !== null && folder.rewritePages)
    return { outcome: 'failed', error: `${problem} The files are stored; pages stay as they are.` };
  const missing = release.files.flatMap((file) => file.missing);
  const note = [
    `${release.files.length} files as release ${release.id}`,
    ...(missing.length > 0 ? [`${missing.length} missing: ${missing.slice(0, 3).join(', ')}`] : []),
    ...(problem === null ? [] : [problem]),
  ].join('; ');
  return {
    outcome: 'done',
    note,
    record: async (tx) => {
      const now = await findSiteFolder(tx, folder.id, { lock: true });
      if (now === null) return;
      // What was read is older than what somebody else has placed, or the settings are other ones: from the beginning.
      if (now.revision !== folder.revision)
        throw new Error(`"${folder.name}" was changed while it was being placed`);
      await updateRelease(tx, folder.id, release.id);
      if (folder.rewritePages) await rewriteTo(tx, { ...now, release: release.id }, open);
    },
  };
}

/** Records what is about to be stored, so that the cleanup leaves it. @returns the files of the release; null when its folder is deleted */
async function record(db: Database, folder: SiteFolder, { id, files }: Release): Promise<SiteFile[] | null> {
  return inTransaction(db, async (tx) => {
    if ((await findSiteFolder(tx, folder.id, { lock: true })) === null) return null;
    await insertSiteFiles(
      tx,
      files.map(({ path, sha256, integrity, bytes, mime }) => ({
        ...{ folder_id: Number(folder.id), release_id: id, path, store_id: folder.storeId },
        ...{ store_key: `${SITE_ASSETS}${folder.id}/${id}/${path}`, sha256, integrity, bytes, mime },
      })),
    );
    await clearReplaced(tx, folder.id, id);
    return listSiteFiles(tx, { folder: folder.id, release: id, limit: files.length + 1 });
  });
}

async function storeFiles(
  { db }: SiteTools,
  {
    open: { objects },
    files,
    release,
    signal,
  }: { open: OpenStore; files: readonly SiteFile[]; release: Release; signal: AbortSignal },
): Promise<void> {
  const sources = new Map(release.files.map((file) => [file.path, file]));
  for (let at = 0; at < files.length; at += RECORDED_TOGETHER) {
    const stored: number[] = [];
    const queue = files.slice(at, at + RECORDED_TOGETHER).values();
    const work = async () => {
      for (const { id, path, store_key } of queue) {
        signal.throwIfAborted();
        const source = sources.get(path) as ReleaseFile;
        await objects
          .put(store_key, source, { mime: source.mime, cacheControl: FOREVER }, { signal })
          .catch((error) => {
            if (!(error instanceof UniferumError && error.code === 'bytes-damaged')) throw error;
            throw new Error(`${path} was changed while it was being placed`);
          });
        stored.push(id);
      }
    };
    try {
      await Promise.all(Array.from({ length: PARALLEL }, work));
    } finally {
      await updateStored(db, stored);
    }
  }
}

/** Why browsers would not show the files from their new place; null when they would. */
export async function findProblem(
  config: SiteTools['config'],
  folder: SiteFolder,
  { open, paths }: { open: OpenStore; paths: readonly string[] },
): Promise<string | null> {
  const probe = paths.find(needsCors) ?? paths[0];
  if (folder.release === null || probe === undefined) return null;
  const address = releaseUrl(open, folder, folder.release) + encodePath(probe);
  const { origin } = new URL(folder.url);
  try {
    const { body, allowOrigin } = await fetchAddress(config, address, { headers: { Origin: origin } });
    body.destroy();
    if (!needsCors(probe) || allowOrigin === '*' || allowOrigin === origin) return null;
    return `Browsers would refuse ${probe} from the store "${open.store.name}": it sends no Access-Control-Allow-Origin for ${origin}. Allow that origin in the CORS settings of the bucket.`;
  } catch (error) {
    if (!(error instanceof FetchFailure)) throw error;
    return `Nobody could read ${address}: ${error.message}. Check the public address of the store "${open.store.name}".`;
  }
}

/** The base address of all releases of a folder. */
function siteBase({ settings }: Pick<OpenStore, 'settings'>, { id }: Pick<SiteFolder, 'id'>): string {
  if (settings.publicUrl === null) throw new Error('Expected a store with public addresses');
  return objectAddress(settings.publicUrl, `${settings.prefix}${SITE_ASSETS}${id}/`);
}

/** The base address of a release. */
export function releaseUrl(
  open: Pick<OpenStore, 'settings'>,
  folder: Pick<SiteFolder, 'id'>,
  release: string,
): string {
  return `${siteBase(open, folder)}${release}/`;
}

/**
 * Begins rewriting the pages of all writable sources: to the addresses of the current release, or back to those of the
 * site. Nothing is begun when there is no such source.
 *
 * @returns the run
 */
export async function rewriteTo(
  tx: Transaction,
  folder: SiteFolder,
  open: Pick<OpenStore, 'settings'>,
): Promise<string | null> {
  const base = siteBase(open, folder);
  await updatePageBase(tx, folder.id, base);
  const sources = (await listSources(tx)).filter(isWritable).map(({ id }) => id);
  const pairs = pairsOf(folder, await listAllSiteFiles(tx, folder.id), base);
  if (sources.length === 0 || pairs.length === 0) return null;
  return beginRewriteIn(tx, sources, { rules: { pairs }, by: 'Uniferum' });
}

/** Each address that pages may have, with the one that they are to have. */
function pairsOf(folder: SiteFolder, files: readonly SiteFile[], base: string): AddressPair[] {
  const { url, release, pageBase, rewritePages } = folder;
  const inStore = ({ release_id, path }: SiteFile, below = base) =>
    `${below}${release_id}/${encodePath(path)}`;
  const current = new Map(
    files.filter(({ release_id }) => release_id === release).map((file) => [file.path, file]),
  );
  const wanted = (file: SiteFile): string | null => {
    if (!rewritePages) return url + encodePath(file.path);
    const now = current.get(file.path);
    return now ? inStore(now) : null;
  };
  return files.flatMap((file) => {
    const to = wanted(file);
    if (to === null) return [];
    // The store may have been given another address since.
    const before = [inStore(file), ...(pageBase === null ? [] : [inStore(file, pageBase)])];
    const from = [...(rewritePages ? [url + encodePath(file.path)] : []), ...before];
    return from.filter((one) => one !== to).map((one) => ({ from: one, to }));
  });
}

/** Pages follow a store that was given another public address. */
export async function followSiteBases({ db, buckets }: Pick<SiteTools, 'db' | 'buckets'>): Promise<void> {
  for (const one of await listSiteFolders(db)) {
    if (!one.rewritePages || one.release === null || one.pageBase === null) continue;
    const open = await buckets.open(db, one.storeId);
    if (!open.isPublic || siteBase(open, one) === one.pageBase) continue;
    await inTransaction(db, async (tx) => {
      const now = await findSiteFolder(tx, one.id, { lock: true });
      if (now?.rewritePages && now.pageBase === one.pageBase) await rewriteTo(tx, now, open);
    });
  }
}

import { randomUUID } from 'node:crypto';
import { link, readdir, rename, rm, stat } from 'node:fs/promises';
import { basename, dirname, extname, join } from 'node:path';
import type { FileIdentity } from '../shared/byte-store.js';
import { identify, isSameFile } from '../stores/staging.js';
import { inboxPath } from './inbox.js';
import { findRead, forgetRead, listRead } from './inbox-queries.js';
import type { IntakeTools } from './tools.js';

type Tools = Pick<IntakeTools, 'db' | 'config'>;

const PAGE = 1000;
const FORGOTTEN_MS = 60_000;
/** What a file is renamed to while it is looked at: hidden, with its own name in it. */
const ASIDE = /^\.(.+)\.[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}$/;

/** Writes down which file was read. */
export function identityText({ device, inode, bytes, modifiedNs }: FileIdentity): string {
  return [device, inode, bytes, modifiedNs].join(':');
}

function readIdentity(text: string): FileIdentity {
  const [device = 0n, inode = 0n, bytes = 0n, modifiedNs = 0n] = text.split(':').map(BigInt);
  return { device, inode, bytes, modifiedNs };
}

/** Removes files from the inbox that are in the library for good, and that are still those that were read. */
export async function removeMoved(tools: Tools, paths: readonly string[]): Promise<void> {
  await removeRows(tools, await findRead(tools.db, paths));
}

/**
 * Finishes what a worker that died had begun: removes files that were moved, and gives those their names back that it had
 * renamed aside. To be called now and then.
 */
export async function finishMoves(tools: Tools): Promise<void> {
  const root = tools.config.inboxDir;
  if (root === null) return;
  for (let rows = await listRead(tools.db, PAGE); rows.length > 0; rows = await listRead(tools.db, PAGE))
    await removeRows(tools, rows);
  for (const folder of await foldersBelow(root))
    for (const name of await readdir(folder)) {
      const own = ASIDE.exec(name)?.[1];
      if (own !== undefined && (await isForgotten(join(folder, name))))
        await putBack(join(folder, name), join(folder, own));
    }
}

/** Whoever renames a file aside looks at it within the same moment, unless it died. */
async function isForgotten(path: string): Promise<boolean> {
  const info = await stat(path).catch(() => null);
  return info !== null && Date.now() - info.ctimeMs > FORGOTTEN_MS;
}

async function removeRows(tools: Tools, rows: readonly { path: string; read_file: string }[]): Promise<void> {
  for (const { path, read_file } of rows)
    await removeRead(inboxPath(tools.config, path), readIdentity(read_file));
  await forgetRead(
    tools.db,
    rows.map(({ path }) => path),
  );
}

async function foldersBelow(root: string): Promise<string[]> {
  const entries = await readdir(root, { recursive: true, withFileTypes: true }).catch(() => []);
  return [
    root,
    ...entries.filter((entry) => entry.isDirectory()).map(({ parentPath, name }) => join(parentPath, name)),
  ];
}

/**
 * Removes a file that was read, if it is still that file: one that was replaced or changed since stays. It is renamed aside
 * before it is looked at, so that what is looked at is what is removed, whatever is renamed over its path meanwhile.
 *
 * @returns whether it was removed
 */
export async function removeRead(path: string, source: FileIdentity): Promise<boolean> {
  const aside = join(dirname(path), `.${basename(path)}.${randomUUID()}`);
  try {
    await rename(path, aside);
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === 'ENOENT') return deleteQuarantined(path, source);
    throw error;
  }
  if (isSameFile(await identify(aside), source)) {
    await rm(aside);
    return true;
  }
  await putBack(aside, path);
  return false;
}

/** Removes a file that a worker had renamed aside when it died. @returns whether it was there */
async function deleteQuarantined(path: string, source: FileIdentity): Promise<boolean> {
  const folder = dirname(path);
  for (const name of await readdir(folder).catch(() => [])) {
    if (ASIDE.exec(name)?.[1] !== basename(path)) continue;
    const now = await identify(join(folder, name)).catch(() => null);
    if (now === null || !isSameFile(now, source)) continue;
    await rm(join(folder, name), { force: true });
    return true;
  }
  return false;
}

/** Gives a file its name back; when another file has come to have it in the meantime, one beside it. Nothing is overwritten. */
async function putBack(aside: string, path: string): Promise<void> {
  for (let n = 1; ; n += 1) {
    const name = n === 1 ? path : beside(path, n);
    try {
      await link(aside, name);
      await rm(aside);
      return;
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code === 'EEXIST') continue;
      // A disk without links: a new name is all the same better than none.
      await rename(aside, beside(path, randomUUID()));
      return;
    }
  }
}

function beside(path: string, n: number | string): string {
  const extension = extname(path);
  return `${path.slice(0, path.length - extension.length)}-${n}${extension}`;
}

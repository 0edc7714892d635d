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
/** The temporary name of a file while it is verified: hidden, and containing its own name. */
const ASIDE = /^\.(.+)\.[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}$/;

/** Identifies the file that was read. */
export function identityText({ device, inode, bytes, modifiedNs }: FileIdentity): string {
  return [device, inode, bytes, modifiedNs].join(':');
}

function readIdentity(text: string): FileIdentity {
  const [device = 0n, inode = 0n, bytes = 0n, modifiedNs = 0n] = text.split(':').map(BigInt);
  return { device, inode, bytes, modifiedNs };
}

/** Removes imported files from the inbox, unless they have changed since they were read. */
export async function removeMoved(tools: Tools, paths: readonly string[]): Promise<void> {
  await removeRows(tools, await findRead(tools.db, paths));
}

/**
 * Completes what a dead worker left: removes moved files, and restores the names of files it had set aside. Called
 * periodically.
 */
export async function finishMoves(tools: Tools): Promise<void> {
  const root = tools.config.inboxDir;
  if (root === null) return;
  for (let rows = await listRead(tools.db, PAGE); rows.length > 0; rows = await listRead(tools.db, PAGE))
    await removeRows(tools, rows);
  await restoreNames(root);
}

/** Gives files their names again that dead workers had set aside, in a folder and below it. */
export async function restoreNames(root: string): Promise<void> {
  for (const folder of await foldersBelow(root))
    for (const name of await readdir(folder).catch(() => [])) {
      const own = ASIDE.exec(name)?.[1];
      if (own === undefined || !(await isForgotten(join(folder, name)))) continue;
      const claimed = await claim(join(folder, name), join(folder, own));
      if (claimed !== null) await putBack(claimed, join(folder, own));
    }
}

/** Several servers may do this at once: only one of them can rename the file, which then is no longer a forgotten one. */
async function claim(aside: string, path: string): Promise<string | null> {
  const claimed = asideOf(path);
  try {
    await rename(aside, claimed);
    return claimed;
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === 'ENOENT') return null;
    throw error;
  }
}

function asideOf(path: string): string {
  return join(dirname(path), `.${basename(path)}.${randomUUID()}`);
}

/** A file is verified right after it was set aside, unless the worker died. */
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
 * Removes a file that was read, if it is unchanged: one that was replaced or modified since stays. It is renamed
 * before it is verified, so that the verified file is the one removed, whatever is renamed over its path meanwhile.
 * One that a dead worker had set aside is removed likewise.
 */
export async function removeRead(path: string, source: FileIdentity): Promise<void> {
  const aside = asideOf(path);
  try {
    await rename(path, aside);
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === 'ENOENT') return removeAside(path, source);
    throw error;
  }
  if (isSameFile(await identify(aside), source)) await rm(aside);
  else await putBack(aside, path);
}

async function removeAside(path: string, source: FileIdentity): Promise<void> {
  const folder = dirname(path);
  for (const name of await readdir(folder).catch(() => [])) {
    if (ASIDE.exec(name)?.[1] !== basename(path)) continue;
    const now = await identify(join(folder, name)).catch(() => null);
    if (now !== null && isSameFile(now, source)) await rm(join(folder, name), { force: true });
  }
}

/** Restores a file's name, or a similar one if the name has been taken since. Nothing is overwritten. */
async function putBack(aside: string, path: string): Promise<void> {
  for (let n = 1; ; n += 1) {
    const name = n === 1 ? path : beside(path, n);
    try {
      await link(aside, name);
      await rm(aside);
      return;
    } catch (error) {
      const { code } = error as NodeJS.ErrnoException;
      if (code === 'EEXIST') continue;
      // Somebody has removed it, or puts it back.
      if (code === 'ENOENT') return;
      // The file system does not support hard links; a new name is still better than none.
      await rename(aside, beside(path, randomUUID()));
      return;
    }
  }
}

function beside(path: string, n: number | string): string {
  const extension = extname(path);
  return `${path.slice(0, path.length - extension.length)}-${n}${extension}`;
}

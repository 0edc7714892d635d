import type { Dirent } from 'node:fs';
import { readdir, realpath, stat } from 'node:fs/promises';
import { join, relative, resolve, sep } from 'node:path';
import type { Verdict } from '@uniferum/core/intake';
import { cleanName, joinPath } from '@uniferum/core/library';
import { judgeFile } from '@uniferum/core/rules';
import { findAssetsByBytes } from '../library/asset-queries.js';
import { findFolderByPath } from '../library/folder-queries.js';
import { effectiveRules } from '../rules/service.js';
import type { Config } from '../shared/config.js';
import { UniferumError } from '../shared/errors.js';
import { hashFile } from '../stores/hash-file.js';
import { findInboxRows, findSizes, type InboxRow, rememberDigests } from './inbox-queries.js';
import type { IntakeTools } from './tools.js';

/** The possible states of a file in the inbox. */
export const INBOX_STATES = ['new', 'refused', 'registered', 'coming', 'writing'] as const;
export type InboxState = (typeof INBOX_STATES)[number];

/** One file in the inbox. */
export interface InboxFile {
  /** Relative to the inbox, with `/` between folders. */
  path: string;
  name: string;
  bytes: number;
  mtimeMs: number;
  /** The target folder. */
  folder: string;
  state: InboxState;
  /** The verdict of the rules; null while the file is being written. */
  verdict: Verdict | null;
  /** The address path of the asset with the same bytes; null when there is none. */
  registeredAs: { id: string; path: string } | null;
}

interface SeenFile {
  path: string;
  bytes: number;
  mtimeMs: number;
}

/** Names of incomplete transfers and hidden system files. Common practice, no source. */
const UNFINISHED = /\.(?:part|partial|filepart|tmp|temp|crdownload|download|!ut|swp)$|^~|~$/i;
const HASHED_AT_A_TIME = 8;

/** Resolves a path in the inbox. @throws UniferumError when it leads outside */
export function inboxPath({ inboxDir }: Pick<Config, 'inboxDir'>, path: string): string {
  const root = resolve(requireInbox(inboxDir));
  const full = resolve(root, path);
  if (!full.startsWith(root + sep))
    throw new UniferumError('malformed-request', `${path} is not in the inbox.`);
  return full;
}

/**
 * Finds a file of the inbox for reading. Links are not followed: permission to write here does not include permission
 * to read other files.
 *
 * @throws UniferumError when the path contains a link; Error when the file does not exist
 */
export async function findInInbox(config: Pick<Config, 'inboxDir'>, path: string): Promise<string> {
  const full = inboxPath(config, path);
  const root = resolve(requireInbox(config.inboxDir));
  const [realRoot, real] = await Promise.all([realpath(root), realpath(full)]);
  if (real !== join(realRoot, relative(root, full)))
    throw new UniferumError(
      'malformed-request',
      `${path} is a symbolic link. Links in the inbox are not followed.`,
    );
  return real;
}

/** Lists the files in the inbox by path, and what importing them into a folder would give. */
export async function scanInbox(
  tools: IntakeTools,
  { folder, keepFolders, nowMs }: { folder: string; keepFolders: boolean; nowMs: number },
): Promise<InboxFile[]> {
  const root = requireInbox(tools.config.inboxDir);
  const seen = await walk(root);
  const known = await findInboxRows(
    tools.db,
    seen.map(({ path }) => path),
  );
  const isWriting = (file: SeenFile) =>
    nowMs - file.mtimeMs < tools.config.inboxSettleMs || UNFINISHED.test(file.path.split('/').at(-1) ?? '');
  const digests = await findDigests(
    tools,
    root,
    seen.filter((file) => !isWriting(file)),
    known,
  );
  const holders = new Map(
    (await findHolders(tools, [...new Set(digests.values())])).map((holder) => [holder.sha256, holder]),
  );
  const judge = await makeJudge(tools);
  const files: InboxFile[] = [];
  for (const file of seen) {
    const parts = file.path.split('/');
    const name = parts.at(-1) ?? '';
    const target = keepFolders ? parts.slice(0, -1).map(cleanName).reduce(joinPath, folder) : folder;
    const shared = { ...file, name, folder: target };
    if (isWriting(file)) {
      files.push({ ...shared, state: 'writing', verdict: null, registeredAs: null });
      continue;
    }
    const holder = holders.get(digests.get(file.path) ?? '');
    const registeredAs = holder ? { id: holder.id, path: joinPath(holder.folderPath, holder.name) } : null;
    const verdict = await judge(target, { name, bytes: file.bytes, duplicateOf: registeredAs?.path ?? null });
    const state = stateOf(file, known.get(file.path), registeredAs !== null, verdict);
    if (state === 'new') judge.takesRoom(target);
    files.push({ ...shared, state, verdict, registeredAs });
  }
  return files;
}

function stateOf(
  file: SeenFile,
  row: InboxRow | undefined,
  isRegistered: boolean,
  verdict: Verdict,
): InboxState {
  if (row?.is_coming === 1 && isSame(row, file)) return 'coming';
  if (isRegistered) return 'registered';
  return verdict.outcome === 'refused' ? 'refused' : 'new';
}

async function walk(root: string): Promise<SeenFile[]> {
  const home = await realpath(root).catch(() => {
    throw new UniferumError('not-found', `The inbox ${root} can't be read. Check that it is mounted.`);
  });
  const files: SeenFile[] = [];
  const folders = [home];
  for (let folder = folders.pop(); folder !== undefined; folder = folders.pop()) {
    const entries = await entriesOf(folder, home);
    const found = await Promise.all(
      entries
        // Links may lead anywhere, and hidden files are not meant for the library.
        .filter((entry) => entry.isFile() && !entry.name.startsWith('.'))
        .map(async ({ name }) => {
          const path = join(folder as string, name);
          const info = await stat(path).catch(() => null);
          return (
            info && {
              path: relative(home, path).split(sep).join('/'),
              bytes: info.size,
              mtimeMs: info.mtimeMs,
            }
          );
        }),
    );
    files.push(...found.filter((file) => file !== null));
    for (const entry of entries)
      if (entry.isDirectory() && !entry.name.startsWith('.')) folders.push(join(folder, entry.name));
  }
  return files.sort((a, b) => (a.path < b.path ? -1 : 1));
}

/** @throws UniferumError `not-found` when a folder can't be read; one that was removed meanwhile is empty */
async function entriesOf(folder: string, home: string): Promise<Dirent[]> {
  try {
    return await readdir(folder, { withFileTypes: true });
  } catch (error) {
    const { code } = error as NodeJS.ErrnoException;
    if (folder !== home && (code === 'ENOENT' || code === 'ENOTDIR')) return [];
    throw new UniferumError(
      'not-found',
      `The folder ${folder} of the inbox can't be read (${code}). Give the server's user the right to read it.`,
      { cause: error },
    );
  }
}

/** Computes the digests of files that may be in the library; a file whose size no asset has is skipped. */
async function findDigests(
  tools: IntakeTools,
  root: string,
  files: readonly SeenFile[],
  known: ReadonlyMap<string, InboxRow>,
): Promise<Map<string, string>> {
  const digests = new Map<string, string>();
  const unknown: SeenFile[] = [];
  for (const file of files) {
    const row = known.get(file.path);
    if (row?.sha256 && isSame(row, file)) digests.set(file.path, row.sha256);
    else unknown.push(file);
  }
  const sizes = await findSizes(tools.db, [...new Set(unknown.map(({ bytes }) => bytes))]);
  const candidates = unknown.filter(({ bytes }) => sizes.has(bytes));
  for (let at = 0; at < candidates.length; at += HASHED_AT_A_TIME) {
    const hashed = await Promise.all(
      candidates.slice(at, at + HASHED_AT_A_TIME).map(async (file) => {
        const facts = await hashFile(join(root, file.path)).catch(() => null);
        return facts && facts.bytes === file.bytes ? { ...file, sha256: facts.sha256 } : null;
      }),
    );
    const whole = hashed.filter((file) => file !== null);
    await rememberDigests(tools.db, whole);
    for (const { path, sha256 } of whole) digests.set(path, sha256);
  }
  return digests;
}

async function findHolders(tools: IntakeTools, digests: readonly string[]) {
  const holders: Awaited<ReturnType<typeof findAssetsByBytes>> = [];
  for (let at = 0; at < digests.length; at += 2000)
    holders.push(...(await findAssetsByBytes(tools.db, digests.slice(at, at + 2000))));
  return holders;
}

function isSame(row: InboxRow, file: SeenFile): boolean {
  return row.bytes === file.bytes && Math.abs(row.mtime_ms - file.mtimeMs) < 1;
}

/** Judges files for many folders, reading the rules of each once; accepted files use up capacity for the ones after them. */
async function makeJudge(tools: IntakeTools) {
  const folders = new Map<
    string,
    Promise<{ rules: Awaited<ReturnType<typeof effectiveRules>>; items: number }>
  >();
  const added = new Map<string, number>();
  const load = async (path: string) => ({
    rules: await effectiveRules(tools.db, path),
    items: (await findFolderByPath(tools.db, path))?.items ?? 0,
  });
  const judge = async (path: string, file: { name: string; bytes: number; duplicateOf: string | null }) => {
    const known = folders.get(path) ?? load(path);
    folders.set(path, known);
    const { rules, items } = await known;
    return judgeFile(file, rules, { path, items: items + (added.get(path) ?? 0) });
  };
  return Object.assign(judge, {
    takesRoom: (path: string) => added.set(path, (added.get(path) ?? 0) + 1),
  });
}

function requireInbox(inboxDir: string | null): string {
  if (inboxDir === null)
    throw new UniferumError(
      'not-found',
      'This installation has no inbox. Set UNIFERUM_INBOX_DIR and restart.',
    );
  return inboxDir;
}

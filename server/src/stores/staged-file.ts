import { randomUUID } from 'node:crypto';
import { renameSync } from 'node:fs';
import { type FileHandle, lutimes, rename, rm, stat, symlink } from 'node:fs/promises';
import { dirname, resolve } from 'node:path';
import type { ByteFacts, StagedBytes } from '../shared/byte-store.js';
import { hashFile } from './hash-file.js';
import { identify, isSameFile, syncFolder, withFile } from './staging.js';

/** How long a stored blob is trusted to exist without checking again. */
const TRUSTED_MS = 60_000;

/** An open file, as far as storing requires it. */
export interface FileHandleToKeep {
  sync(): Promise<void>;
  close(): Promise<void>;
  /** Whether the file may be another name of an already stored blob. */
  mayBeLinked: boolean;
}

/** A file that is reopened to be made durable. */
export function reopenToKeep(path: string): FileHandleToKeep {
  return {
    sync: () => withFile(path, (file: FileHandle) => file.sync()),
    close: async () => {},
    mayBeLinked: true,
  };
}

/** Where a staged file is stored. */
interface Place {
  target: string;
  copy: StagedBytes['copy'];
  isKept(): Promise<boolean>;
  /** Runs an operation on the store's own files and explains its faults. */
  own<Result>(work: Promise<Result>): Promise<Result>;
}

/** Completes a staged file: stored once and durably, or discarded. */
export function stageFile(
  path: string,
  facts: ByteFacts,
  handle: FileHandleToKeep,
  { target, copy, isKept, own }: Place,
): StagedBytes {
  let state: 'staged' | 'kept' | 'discarded' = 'staged';
  let keptAt = 0;
  const keepFirst = async () => {
    // Durable before visible: the bytes, then the name, then the folder that contains the name.
    await handle.sync();
    renameSync(path, target);
    state = 'kept';
    keptAt = Date.now();
    await handle.close();
    // Renaming one hard link to another of the same file leaves both.
    if (handle.mayBeLinked) await rm(path, { force: true });
    await syncFolder(dirname(target));
  };
  const keepAgain = async () => {
    // A blob stored a moment ago still exists: the cleanup ignores blobs younger than a day.
    if (Date.now() - keptAt < TRUSTED_MS) return;
    if (!(await isKept()))
      throw Object.assign(new Error(`${target} is not there any more`), { code: 'ENOENT' });
  };
  return {
    ...facts,
    path,
    copy,
    keep: async () => {
      if (state === 'discarded') throw new Error('Expected staged bytes, got bytes that were discarded');
      await own(state === 'kept' ? keepAgain() : keepFirst());
    },
    discard: async () => {
      if (state !== 'staged') return;
      state = 'discarded';
      await handle.close().catch(() => {});
      await rm(path, { force: true });
    },
  };
}

/** The store in which a file is placed. */
interface PlacedIn {
  pathOf(sha256: string): string;
  isKept(sha256: string): Promise<boolean>;
  own<Result>(work: Promise<Result>): Promise<Result>;
}

/** Completes a file that stays where it is: the store gets a link to it. @throws Error while it is still being written */
export async function placeFile(
  path: string,
  copy: StagedBytes['copy'],
  { pathOf, isKept, own }: PlacedIn,
): Promise<StagedBytes> {
  const { mtimeMs } = await stat(path);
  const source = await identify(path);
  const facts = await hashFile(path);
  if (!isSameFile(source, await identify(path))) throw new Error('it is still being written');
  return {
    ...facts,
    path,
    source,
    copy,
    keep: async () => {
      if (await isKept(facts.sha256)) return;
      const target = pathOf(facts.sha256);
      const beside = `${target}.${randomUUID()}`;
      await own(symlink(resolve(path), beside));
      await lutimes(beside, mtimeMs / 1000, mtimeMs / 1000);
      await rename(beside, target);
      await syncFolder(dirname(target));
    },
    discard: async () => {},
  };
}

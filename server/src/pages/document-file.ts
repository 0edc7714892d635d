import type { BigIntStats } from 'node:fs';
import { lstat, realpath, stat } from 'node:fs/promises';
import { dirname, relative, resolve } from 'node:path';

/** Size and times of a file: the time of its inode changes whatever else is kept. Null when it is gone. */
export async function stampOf(path: string): Promise<string | null> {
  const info = await stat(path, { bigint: true }).catch(() => null);
  return info && toStamp(info);
}

function toStamp({ size, mtimeNs, ctimeNs }: BigIntStats): string {
  return `${size}-${mtimeNs}-${ctimeNs}`;
}

/** Finds a document for reading: never outside of the folder, whatever was put in its place. Null when it is gone. */
export async function findDocument(root: string, path: string): Promise<string | null> {
  const full = resolve(root, path);
  const real = await realpath(full).catch(() => null);
  return real === full && !relative(root, real).startsWith('..') ? real : null;
}

/** Finds many documents as {@link findDocument} does, with their stamps. Their folders are looked at once. */
export class DocumentFinder {
  readonly #root: string;
  readonly #folders = new Map<string, Promise<string | null>>();

  constructor(root: string) {
    this.#root = root;
  }

  async find(path: string): Promise<{ file: string; stamp: string } | null> {
    const file = resolve(this.#root, path);
    const folder = dirname(file);
    const real = this.#folders.get(folder) ?? realpath(folder).catch(() => null);
    this.#folders.set(folder, real);
    if ((await real) !== folder || relative(this.#root, file).startsWith('..')) return null;
    const info = await lstat(file, { bigint: true }).catch(() => null);
    return info?.isFile() ? { file, stamp: toStamp(info) } : null;
  }
}

import { realpath, stat } from 'node:fs/promises';
import { relative, resolve } from 'node:path';

/** Size and times of a file: the time of its inode changes whatever else is kept. Null when it is gone. */
export async function stampOf(path: string): Promise<string | null> {
  const info = await stat(path, { bigint: true }).catch(() => null);
  return info && `${info.size}-${info.mtimeNs}-${info.ctimeNs}`;
}

/** Finds a document for reading: never outside of the folder, whatever was put in its place. Null when it is gone. */
export async function findDocument(root: string, path: string): Promise<string | null> {
  const full = resolve(root, path);
  const real = await realpath(full).catch(() => null);
  return real === full && !relative(root, real).startsWith('..') ? real : null;
}

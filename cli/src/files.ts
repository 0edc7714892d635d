import { createHash } from 'node:crypto';
import { createReadStream, openAsBlob } from 'node:fs';
import { readdir, stat } from 'node:fs/promises';
import { basename, join } from 'node:path';

/** A local file to upload, and its target folder. */
export interface LocalFile {
  path: string;
  name: string;
  bytes: number;
  folder: string;
}

/**
 * Lists files and the contents of folders; their folder structure is kept below the target.
 *
 * @throws Error when one is missing
 */
export async function listFiles(paths: readonly string[], folder: string): Promise<LocalFile[]> {
  const files: LocalFile[] = [];
  for (const path of paths) {
    const info = await stat(path).catch(() => {
      throw new Error(`There is no file or folder ${path}.`);
    });
    if (info.isDirectory()) await walk(path, below(folder, basename(path)), files);
    else files.push({ path, name: basename(path), bytes: info.size, folder });
  }
  return files;
}

/** Lists the contents of one folder, as they would lie below another. */
export async function listContents(path: string, folder: string): Promise<LocalFile[]> {
  const files: LocalFile[] = [];
  await walk(path, folder, files);
  return files;
}

async function walk(path: string, folder: string, files: LocalFile[]): Promise<void> {
  const entries = await readdir(path, { withFileTypes: true });
  for (const entry of entries.sort((a, b) => (a.name < b.name ? -1 : 1))) {
    if (entry.name.startsWith('.')) continue;
    const full = join(path, entry.name);
    if (entry.isDirectory()) await walk(full, below(folder, entry.name), files);
    else if (entry.isFile())
      files.push({ path: full, name: entry.name, bytes: (await stat(full)).size, folder });
  }
}

/** The path of what is in a folder. */
export function below(folder: string, name: string): string {
  return folder === '/' ? `/${name}` : `${folder}/${name}`;
}

/** SHA-256, in hexadecimal digits. */
export async function digestOf(path: string): Promise<string> {
  const hash = createHash('sha256');
  for await (const piece of createReadStream(path)) hash.update(piece as Buffer);
  return hash.digest('hex');
}

/** Opens a file so that it streams from disk. */
export function openFile(path: string): Promise<Blob> {
  return openAsBlob(path);
}

import { link, lstat, lutimes, mkdir, readdir, rename, rm } from 'node:fs/promises';
import { join } from 'node:path';

/** Unreferenced blobs, set aside before they are deleted so that one can be restored. */
export class DiskQuarantine {
  readonly #folder: string;
  readonly #pathOf: (sha256: string) => string;

  /** @param pathOf the path of a stored blob */
  constructor(folder: string, pathOf: (sha256: string) => string) {
    this.#folder = folder;
    this.#pathOf = pathOf;
  }

  async put(sha256: string): Promise<void> {
    await mkdir(this.#folder, { recursive: true });
    const now = new Date();
    await rename(this.#pathOf(sha256), join(this.#folder, sha256)).catch(ignoreMissing);
    await lutimes(join(this.#folder, sha256), now, now).catch(ignoreMissing);
  }

  async restore(sha256: string): Promise<void> {
    const target = this.#pathOf(sha256);
    await link(join(this.#folder, sha256), target).catch((error) => {
      // The same bytes have been stored again in the meantime.
      if (error.code !== 'EEXIST') throw error;
    });
    await this.delete(sha256);
  }

  async delete(sha256: string): Promise<void> {
    await rm(join(this.#folder, sha256), { force: true });
  }

  async list(): Promise<{ sha256: string; sinceMs: number }[]> {
    const names = await readdir(this.#folder).catch(() => []);
    const entries = await Promise.all(
      names.map(async (sha256) => {
        const info = await lstat(join(this.#folder, sha256)).catch(() => null);
        return info && { sha256, sinceMs: info.mtimeMs };
      }),
    );
    return entries.filter((entry) => entry !== null);
  }
}

function ignoreMissing(error: NodeJS.ErrnoException): void {
  if (error.code !== 'ENOENT') throw error;
}

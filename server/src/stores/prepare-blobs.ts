import { mkdir, readdir, rename, rm } from 'node:fs/promises';
import { join } from 'node:path';

/** Creates the folders of blobs, and moves up blobs that an earlier version stored one level deeper. */
export async function prepareBlobs(blobs: string): Promise<void> {
  for (let n = 0; n < 256; n += 1) {
    const folder = join(blobs, n.toString(16).padStart(2, '0'));
    await mkdir(folder, { recursive: true });
    for (const entry of await readdir(folder, { withFileTypes: true })) {
      if (!entry.isDirectory()) continue;
      const deeper = join(folder, entry.name);
      for (const name of await readdir(deeper))
        await rename(join(deeper, name), join(folder, name)).catch((error: NodeJS.ErrnoException) => {
          if (error.code !== 'ENOENT') throw error;
        });
      await rm(deeper, { recursive: true, force: true });
    }
  }
}

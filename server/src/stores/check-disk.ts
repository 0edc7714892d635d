import { randomUUID } from 'node:crypto';
import { open, rm, statfs } from 'node:fs/promises';
import { join } from 'node:path';
import type { StoreState } from '../shared/byte-store.js';
import { writeWhole } from './staging.js';
import { explainStoreFault } from './store-faults.js';

/** Below this much free space a disk counts as full, before writes start to fail. */
const LEAST_FREE_BYTES = 1_000_000;
const PROBE = Buffer.alloc(4096, 'x');

/** Tests whether a small file can be written to a folder. */
export async function checkDisk(
  folder: string,
  store: string,
  { leastFreeBytes = LEAST_FREE_BYTES } = {},
): Promise<StoreState> {
  const path = join(folder, `probe-${randomUUID()}`);
  try {
    const { bavail, bsize } = await statfs(folder);
    if (bavail * bsize < leastFreeBytes) return 'full';
    const file = await open(path, 'wx');
    try {
      await writeWhole(file, PROBE, 0);
      await file.sync();
    } finally {
      await file.close();
      await rm(path, { force: true });
    }
    return 'ok';
  } catch (error) {
    const fault = explainStoreFault(error, store);
    return fault instanceof Error && 'code' in fault && fault.code === 'storage-full' ? 'full' : 'failing';
  }
}

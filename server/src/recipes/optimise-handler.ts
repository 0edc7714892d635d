import { formatBytes } from '@uniferum/core/intake';
import { findAsset } from '../library/asset-queries.js';
import { holdAnyAsset } from '../library/assets.js';
import { recordBlobs } from '../library/blobs.js';
import { updateOptimise } from '../library/version-queries.js';
import { putContent } from '../library/versions.js';
import type { ItemResult, RunHandler } from '../runs/handler.js';
import { type StagedBytes, withBorrowed } from '../shared/byte-store.js';
import { isEnvironmentFault, UniferumError } from '../shared/errors.js';
import { PictureKilledError } from './engine/pool.js';
import { missingBytes, stageAndKeep, type WorkerContext } from './make.js';
import { type OptimiseMode, writeMode } from './optimise-queries.js';
import type { OptimiseInput } from './run-kinds.js';

/** Optimises the file of one asset as its next version; the previous version stays and can be restored. */
export function optimiseHandler(context: WorkerContext): RunHandler<OptimiseInput> {
  return { work: (input, { signal }) => optimise(context, input, signal), maxMs: context.maxWorkMs };
}

async function optimise(
  { db, store, pool, maxPixels, joints }: WorkerContext,
  { asset: id, mode, likeness = 1 }: OptimiseInput,
  signal: AbortSignal,
): Promise<ItemResult> {
  const asset = await findAsset(db, id);
  if (asset === null || asset.live === null) return { outcome: 'skipped', note: 'The asset is in the bin.' };
  if (!(await store.has(asset.sha256)))
    throw new UniferumError('store-away', missingBytes(asset, store), { retryAfterSeconds: 30 });
  const request: OptimiseMode = mode === 'lossless' ? { mode } : { mode, likeness };
  const remember = (tx: Parameters<typeof updateOptimise>[0]) => updateOptimise(tx, id, writeMode(request));
  let result: Awaited<ReturnType<typeof pool.optimise>>;
  try {
    result = await withBorrowed(store, asset.sha256, (path) =>
      pool.optimise({ path, mime: asset.mime, mode, likeness, maxPixels }, { signal }),
    );
  } catch (error) {
    signal.throwIfAborted();
    if (isEnvironmentFault(error)) throw error;
    const message = error instanceof Error ? error.message : String(error);
    if (error instanceof PictureKilledError)
      return { outcome: 'failed', error: `${asset.name} can't be processed: ${message}.` };
    return { outcome: 'failed', error: `${asset.name} can't be made smaller: ${message.split('\n')[0]}.` };
  }
  if (!result.ok)
    return { outcome: 'skipped', note: `${asset.name} is unchanged: ${result.reason}.`, record: remember };
  const { data, bytesBefore, likeness: reached } = result;
  let staged: StagedBytes | null = null;
  return {
    outcome: 'done',
    note: `${formatBytes(bytesBefore)} → ${formatBytes(data.length)}, ${Math.round((1 - data.length / bytesBefore) * 100)} % saved${reached === null ? ', not a pixel changed' : `, likeness ${reached.toFixed(4)}`}`,
    persist: async () => {
      staged = await stageAndKeep(store, data);
    },
    record: async (tx) => {
      const row = await holdAnyAsset(tx, id);
      // Replaced meanwhile: the current bytes are different, and have their own item.
      if (staged === null || row.live === null || row.sha256 !== asset.sha256)
        return { done: 0, skipped: 1, failed: 0 };
      const { sha256, bytes, crc32, copy } = staged;
      await recordBlobs(tx, [{ sha256, bytes, crc32, ...copy }]);
      await remember(tx);
      await putContent(joints, tx, row, {
        by: 'Uniferum',
        restoredFrom: null,
        optimisedFrom: row.version,
        looksTheSame: reached === null,
        content: {
          sha256,
          bytes,
          mime: row.mime,
          width: row.width,
          height: row.height,
          orientation: row.orientation,
        },
      });
      return { bytes: { before: bytesBefore, after: bytes } };
    },
  };
}

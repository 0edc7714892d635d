import { createHash, createHmac, timingSafeEqual } from 'node:crypto';
import { canonicalJson, focalText, type Recipe, type RecipeOutput, type Step } from '@uniferum/core/recipes';
import type { AssetRow } from '../library/asset-queries.js';
import { recordBlobs } from '../library/blobs.js';
import { inTransaction } from '../shared/database.js';
import { UniferumError } from '../shared/errors.js';
import { SharedWork } from '../shared/shared-work.js';
import { focalPoint } from './digests.js';
import type { RenderResult } from './engine/job.js';
import { PictureKilledError } from './engine/pool.js';
import { findMarks } from './find-marks.js';
import { missingBytes, stageAndKeep, withJob } from './make.js';
import { findPicture, insertPicture, type PictureOnRequest } from './on-request-queries.js';
import type { RenderTools } from './tools.js';
import type { Waiting } from './waiting.js';

/** What to make of an asset, without a named recipe. */
export interface RenderRequest {
  steps: Step[];
  output: RecipeOutput;
}

/** Signs the specification in a URL, so that it cannot be changed. Source: HMAC, RFC 2104, with SHA-256. */
export function signRequest(
  masterKey: string,
  assetId: string,
  request: RenderRequest,
): { spec: string; signature: string } {
  const spec = Buffer.from(canonicalJson({ steps: request.steps, output: request.output })).toString(
    'base64url',
  );
  return { spec, signature: signatureOf(masterKey, assetId, spec) };
}

/** Reads a signed URL. @throws UniferumError `not-found` when its signature is invalid */
export function readSignedRequest(
  masterKey: string,
  assetId: string,
  spec: string,
  signature: string,
): RenderRequest {
  const expected = Buffer.from(signatureOf(masterKey, assetId, spec));
  const given = Buffer.from(signature);
  if (expected.length !== given.length || !timingSafeEqual(expected, given))
    throw new UniferumError(
      'not-found',
      'This URL has no valid signature. Create one with POST /assets/{id}/address.',
    );
  return JSON.parse(Buffer.from(spec, 'base64url').toString());
}

function signatureOf(masterKey: string, assetId: string, spec: string): string {
  const key = createHmac('sha256', masterKey).update('pictures on request').digest();
  return createHmac('sha256', key).update(`${assetId}.${spec}`).digest('base64url').slice(0, 32);
}

/** Pictures being made, so that concurrent requests for the same one share the work. */
const inFlight = new SharedWork<PictureOnRequest>();

/**
 * Returns the requested rendition: stored, or rendered now and stored.
 *
 * @throws UniferumError `refused` when it can't be made of this file; `too-many-requests` or `busy` when too much waits
 */
export async function picture(
  tools: RenderTools,
  asset: AssetRow,
  request: RenderRequest,
  waiting: Waiting,
): Promise<PictureOnRequest> {
  const recipe = anonymous(request);
  const marks = await findMarks(tools.db, [recipe]);
  const digest = createHash('sha256')
    .update(
      canonicalJson([
        asset.sha256,
        focalText(focalPoint(asset)),
        request,
        [...marks].map(([path, mark]) => [path, mark?.sha256 ?? null]),
      ]),
    )
    .digest('hex');
  const kept = await findPicture(tools.db, digest);
  if (kept && (await tools.store.has(kept.sha256))) return kept;
  // Callers with a key do not wait in the queue of an anonymous caller who requested the same before.
  const queue = waiting.pool === tools.rendering.pool ? 'known' : waiting.source;
  return inFlight.wait(`${queue} ${digest}`, waiting.signal, (signal) =>
    make(tools, asset, recipe, { digest, waiting: { ...waiting, signal } }),
  );
}

async function make(
  tools: RenderTools,
  asset: AssetRow,
  recipe: Recipe,
  { digest, waiting }: { digest: string; waiting: Waiting },
): Promise<PictureOnRequest> {
  const { made } = await renderOnce(tools, asset, recipe, { waiting });
  const main = made.find(({ variant }) => variant === null);
  if (!main) throw new UniferumError('refused', `No rendition of ${asset.name} was created.`);
  const staged = await stageAndKeep(tools.store, main.data);
  const { sha256, crc32, bytes, copy } = staged;
  const row = {
    digest,
    asset_id: asset.id,
    sha256,
    mime: main.mime,
    width: main.width,
    height: main.height,
    bytes,
  };
  await inTransaction(tools.db, async (tx) => {
    await recordBlobs(tx, [{ sha256, crc32, bytes, ...copy }]);
    await staged.keep();
    await insertPicture(tx, row);
  });
  return row;
}

/**
 * Renders a recipe for a waiting caller and stores nothing.
 *
 * @throws UniferumError `refused` with what failed and at which step
 */
export async function renderOnce(
  tools: RenderTools,
  asset: AssetRow,
  recipe: Recipe,
  { waiting, keepDecoded = false }: { waiting: Waiting; keepDecoded?: boolean },
): Promise<RenderResult> {
  const { db, store, config } = tools;
  if (!(await store.has(asset.sha256)))
    throw new UniferumError('store-away', missingBytes(asset, store), { retryAfterSeconds: 30 });
  const marks = await findMarks(db, [recipe]);
  try {
    const result = await withJob(
      asset,
      [recipe],
      { store, marks, maxPixels: config.maxPixels, look: false },
      (job) => waiting.pool.run({ ...job, keepDecoded }, waiting),
    );
    const [failed] = result.failed;
    if (failed)
      throw new UniferumError('refused', `${asset.name}: ${failed.reason}.`, {
        errors: [stepError(failed.reason)],
      });
    return result;
  } catch (error) {
    if (error instanceof PictureKilledError)
      throw new UniferumError('refused', `${asset.name} can't be processed: ${error.message}.`, {
        cause: error,
      });
    throw error;
  }
}

/** Finds the step that failed: `step 2 (crop): …` is about `steps.1`. */
function stepError(reason: string): { field: string; code: string; message: string } {
  const match = /^step (\d+)[^:]*: (.*)$/.exec(reason);
  return match
    ? { field: `steps.${Number(match[1]) - 1}`, code: 'step-failed', message: match[2] ?? reason }
    : { field: 'asset', code: 'not-made', message: reason };
}

/** A recipe without a name, for one picture. */
export function anonymous({ steps, output }: RenderRequest): Recipe {
  return {
    name: 'once',
    title: 'Once',
    kinds: ['image', 'vector', 'document', 'video', 'audio'],
    folders: [],
    when: 'on-request',
    steps,
    output,
    revision: 1,
  };
}

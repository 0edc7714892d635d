import { createHash, createHmac, timingSafeEqual } from 'node:crypto';
import { canonicalJson, focalText, type Recipe, type RecipeOutput, type Step } from '@uniferum/core';
import type { App } from '../app.js';
import type { AssetRow } from '../library/asset-queries.js';
import { recordBlobs } from '../library/blobs.js';
import { inTransaction } from '../shared/database.js';
import { UniferumError } from '../shared/errors.js';
import { focalPoint } from './digests.js';
import type { RenderResult } from './engine/job.js';
import { PictureKilledError } from './engine/pool.js';
import { findMarks } from './find-marks.js';
import { jobFor, stageAndKeep } from './make.js';
import { findPicture, insertPicture, type PictureOnRequest } from './on-request-queries.js';

/** What is to be made of an asset, without a recipe that has a name. */
export interface Wish {
  steps: Step[];
  output: RecipeOutput;
}

/** Signs what an address asks for, so that nobody can ask for anything else. Source: HMAC, RFC 2104, with SHA-256. */
export function signWish(
  masterKey: string,
  assetId: string,
  wish: Wish,
): { spec: string; signature: string } {
  const spec = Buffer.from(canonicalJson({ steps: wish.steps, output: wish.output })).toString('base64url');
  return { spec, signature: signatureOf(masterKey, assetId, spec) };
}

/** Reads a signed address. @throws UniferumError `not-found` when its signature is another one */
export function readWish(masterKey: string, assetId: string, spec: string, signature: string): Wish {
  const expected = Buffer.from(signatureOf(masterKey, assetId, spec));
  const given = Buffer.from(signature);
  if (expected.length !== given.length || !timingSafeEqual(expected, given))
    throw new UniferumError(
      'not-found',
      'This address was not signed here. Ask for one by POST /assets/{id}/address.',
    );
  return JSON.parse(Buffer.from(spec, 'base64url').toString());
}

function signatureOf(masterKey: string, assetId: string, spec: string): string {
  const key = createHmac('sha256', masterKey).update('pictures on request').digest();
  return createHmac('sha256', key).update(`${assetId}.${spec}`).digest('base64url').slice(0, 32);
}

/** What is being made right now, so that two who ask for the same wait for one. */
const underway = new Map<string, Promise<PictureOnRequest>>();

/**
 * Gives what was wished for: made before, or made now and kept.
 *
 * @throws UniferumError `refused` when it can't be made of this file
 */
export async function picture(app: App, asset: AssetRow, wish: Wish): Promise<PictureOnRequest> {
  const recipe = anonymous(wish);
  const marks = await findMarks(app.db, [recipe]);
  const digest = createHash('sha256')
    .update(
      canonicalJson([
        asset.sha256,
        focalText(focalPoint(asset)),
        wish,
        [...marks].map(([path, mark]) => [path, mark?.sha256 ?? null]),
      ]),
    )
    .digest('hex');
  const kept = await findPicture(app.db, digest);
  if (kept && (await app.store.has(kept.sha256))) return kept;
  const making =
    underway.get(digest) ?? make(app, asset, recipe, digest).finally(() => underway.delete(digest));
  underway.set(digest, making);
  return making;
}

async function make(app: App, asset: AssetRow, recipe: Recipe, digest: string): Promise<PictureOnRequest> {
  const { made } = await renderOnce(app, asset, recipe);
  const main = made.find(({ variant }) => variant === null);
  if (!main) throw new UniferumError('refused', `Nothing was made of ${asset.name}.`);
  const { sha256, crc32, bytes, copy } = await stageAndKeep(app.store, main.data);
  const row = {
    digest,
    asset_id: asset.id,
    sha256,
    mime: main.mime,
    width: main.width,
    height: main.height,
    bytes,
  };
  await inTransaction(app.db, async (tx) => {
    await recordBlobs(tx, [{ sha256, crc32, bytes, ...copy }]);
    await insertPicture(tx, row);
  });
  return row;
}

/**
 * Carries out a recipe for somebody who waits, and keeps nothing.
 *
 * @throws UniferumError `refused` with what can't be done and at which step
 */
export async function renderOnce(
  app: App,
  asset: AssetRow,
  recipe: Recipe,
  options: { signal?: AbortSignal; keepDecoded?: boolean } = {},
): Promise<RenderResult> {
  const { db, store, config } = app;
  if (!(await store.has(asset.sha256)))
    throw new UniferumError(
      'not-found',
      `The bytes of ${asset.name} are not in the store "${store.name}". Check that it is mounted.`,
    );
  const job = jobFor(asset, [recipe], {
    store,
    marks: await findMarks(db, [recipe]),
    maxPixels: config.maxPixels,
    look: false,
  });
  try {
    const result = await app.pool.run({ ...job, keepDecoded: options.keepDecoded ?? false }, options.signal);
    const [failed] = result.failed;
    if (failed)
      throw new UniferumError('refused', `${asset.name}: ${failed.reason}.`, {
        errors: [stepError(failed.reason)],
      });
    return result;
  } catch (error) {
    if (error instanceof PictureKilledError)
      throw new UniferumError('refused', `${asset.name} can't be worked on: ${error.message}.`, {
        cause: error,
      });
    throw error;
  }
}

/** Leads to the step that failed: `step 2 (crop): …` is about `steps.1`. */
function stepError(reason: string): { field: string; code: string; message: string } {
  const match = /^step (\d+)[^:]*: (.*)$/.exec(reason);
  return match
    ? { field: `steps.${Number(match[1]) - 1}`, code: 'step-failed', message: match[2] ?? reason }
    : { field: 'asset', code: 'not-made', message: reason };
}

/** A recipe without a name, for one picture. */
export function anonymous({ steps, output }: Wish): Recipe {
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

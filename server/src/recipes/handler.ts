import { Readable } from 'node:stream';
import { DECODABLE_MIMES, type PlannedRendition, planRenditions, type Recipe } from '@uniferum/core';
import { recordEvent } from '../hooks/outbox.js';
import { readEmbedded } from '../intake/embedded.js';
import { type AssetRow, findAsset, updatePlaceholder } from '../library/asset-queries.js';
import type { NewBlob } from '../library/blob-queries.js';
import { recordBlobs } from '../library/blobs.js';
import { updateHash } from '../library/similar-queries.js';
import { addToTallies, type TallyChange } from '../library/tallies.js';
import type { ItemContext, ItemResult, RunHandler, RunInputs } from '../runs/handler.js';
import type { Database, Transaction } from '../shared/database.js';
import type { ByteStore, StagedBytes } from '../stores/byte-store.js';
import { findRenditions, listRecipes, type RenditionRow, updateRenditions } from './queries.js';
import { type Rendered, type Rights, renderPlan } from './render.js';

interface Tools {
  db: Database;
  store: ByteStore;
  maxPixels: number;
}

interface KeptRendition {
  planned: PlannedRendition;
  size: { width: number; height: number };
  blob: Pick<StagedBytes, 'sha256' | 'crc32' | 'bytes'>;
}

/** Makes the renditions of one asset that are not fresh. Repeating it finds them fresh and skips. */
export function renditionsHandler(tools: Tools): RunHandler<RunInputs['renditions']> {
  return {
    work: (input, context) => makeRenditions(tools, input, context),
    giveUp: (tx, { asset }, error) => recordFailure(tx, asset, null, error),
  };
}

async function makeRenditions(
  { db, store, maxPixels }: Tools,
  input: RunInputs['renditions'],
  { signal }: ItemContext,
): Promise<ItemResult> {
  const asset = await findAsset(db, input.asset);
  if (asset === null || asset.live === null) return { outcome: 'skipped', note: 'The asset is in the bin.' };
  const wanted = await wantedRecipes(db, asset, input.recipes);
  const isLooked = asset.phash !== null || !DECODABLE_MIMES.includes(asset.mime);
  if (wanted.length === 0 && isLooked) return { outcome: 'skipped', note: 'Every rendition is fresh.' };
  if (asset.width === null || asset.height === null) return fail(asset, wanted, 'its size can’t be read');

  const focal =
    asset.focal_x === null || asset.focal_y === null ? undefined : { x: asset.focal_x, y: asset.focal_y };
  const plan = planRenditions({ width: asset.width, height: asset.height, mime: asset.mime }, wanted, focal);
  let made: { rendered: Rendered[]; placeholder: string; phash: string };
  try {
    // What was registered in place may have been changed there: then it is not the picture any more.
    if (!(await store.has(asset.sha256))) throw new Error('its bytes are missing');
    const rights = wanted.some(({ output }) => output.metadata === 'rights')
      ? await readRights(store.localPath(asset.sha256))
      : { artist: null, copyright: null };
    made = await renderPlan(store.localPath(asset.sha256), plan, { maxPixels, rights, signal });
  } catch (error) {
    signal.throwIfAborted();
    if (!(await store.has(asset.sha256)))
      throw new Error(
        `The bytes of ${asset.name} are not in the store "${store.name}". Check that it is mounted.`,
      );
    return fail(asset, wanted, error instanceof Error ? error.message : String(error));
  }
  signal.throwIfAborted();
  const kept: KeptRendition[] = [];
  return {
    outcome: 'done',
    note:
      made.rendered
        .map(({ planned, size }) => `${planned.recipe.name} ${size.width} × ${size.height}`)
        .join(', ') || 'looked at',
    persist: async () => {
      kept.push(...(await Promise.all(made.rendered.map((rendered) => keep(store, rendered)))));
    },
    record: (tx) => recordMade(tx, { asset, kept, placeholder: made.placeholder, phash: made.phash, store }),
  };
}

async function wantedRecipes(db: Database, asset: AssetRow, only: string[] | null): Promise<Recipe[]> {
  const rows = await findRenditions(db, [asset.id]);
  const unfinished = new Set(
    rows.filter(({ state }) => state !== 'fresh' && state !== 'surplus').map(({ recipe }) => recipe),
  );
  return (await listRecipes(db)).filter(
    ({ name }) => unfinished.has(name) && (only === null || only.includes(name)),
  );
}

async function readRights(path: string): Promise<Rights> {
  const embedded = await readEmbedded(path);
  const first = (...fields: (keyof typeof embedded)[]) =>
    fields.map((field) => embedded[field]).find((value) => typeof value === 'string') as string | undefined;
  return {
    artist: first('exif:artist', 'xmp:creator', 'iptc:byline') ?? null,
    copyright: first('exif:copyright', 'xmp:rights', 'iptc:copyright') ?? null,
  };
}

async function keep(store: ByteStore, { planned, data, size }: Rendered): Promise<KeptRendition> {
  const staged = await store.stage(Readable.from([data]), { limitBytes: Number.MAX_SAFE_INTEGER });
  await staged.keep();
  return { planned, size, blob: { sha256: staged.sha256, crc32: staged.crc32, bytes: staged.bytes } };
}

function fail(asset: AssetRow, wanted: readonly Recipe[], reason: string): ItemResult {
  const error = `${asset.name} can't be decoded: ${reason}. Open and save it again in a picture editor, and replace it.`;
  return {
    outcome: 'failed',
    error,
    record: (tx) => recordFailure(tx, String(asset.id), new Set(wanted.map(({ name }) => name)), error),
  };
}

async function recordMade(
  tx: Transaction,
  {
    asset,
    kept,
    placeholder,
    phash,
    store,
  }: { asset: AssetRow; kept: KeptRendition[]; placeholder: string; phash: string; store: ByteStore },
): Promise<void> {
  const rows = await findRenditions(tx, [asset.id], { lock: true });
  const current = new Map((await listRecipes(tx)).map((recipe) => [recipe.name, recipe.revision]));
  const now = await findAsset(tx, String(asset.id));
  const changed: [before: RenditionRow, after: RenditionRow][] = [];
  const blobs: NewBlob[] = [];
  for (const { planned, size, blob } of kept) {
    const { recipe, mime } = planned;
    const before = rows.find((row) => row.recipe === recipe.name);
    // The recipe was taken away meanwhile: nobody asks for it any more.
    if (!before) continue;
    // Changed while it was being made: it is shown, and stays outdated.
    const isCurrent =
      current.get(recipe.name) === recipe.revision &&
      now?.version === asset.version &&
      now.focal_x === asset.focal_x &&
      now.focal_y === asset.focal_y;
    blobs.push({ ...blob, store: store.name, key: store.keyOf(blob.sha256) });
    const made = { sha256: blob.sha256, bytes: blob.bytes, mime, ...size, revision: recipe.revision };
    const state = isCurrent ? 'fresh' : 'outdated';
    changed.push([before, { ...before, ...made, state, version: asset.version, error: null }]);
  }
  await recordBlobs(tx, blobs);
  await putRenditions(tx, changed);
  if (now?.sha256 === asset.sha256) {
    await updatePlaceholder(tx, String(asset.id), placeholder);
    if (asset.phash !== phash) await updateHash(tx, String(asset.id), phash);
  }
  await recordEvent(tx, {
    type: 'asset.renditions',
    asset: String(asset.id),
    by: 'Uniferum',
    data: { id: String(asset.id), made: kept.map(({ planned }) => planned.recipe.name) },
  });
}

async function recordFailure(
  tx: Transaction,
  assetId: string,
  recipes: ReadonlySet<string> | null,
  error: string,
): Promise<void> {
  const rows = await findRenditions(tx, [assetId], { lock: true });
  const meant = rows.filter(({ recipe, state }) =>
    recipes === null ? state !== 'fresh' && state !== 'surplus' : recipes.has(recipe),
  );
  await putRenditions(
    tx,
    meant.map((row) => [row, { ...row, state: 'failed', error }]),
  );
  await recordEvent(tx, {
    type: 'asset.renditions',
    asset: assetId,
    by: 'Uniferum',
    data: { id: assetId, failed: error },
  });
}

async function putRenditions(
  tx: Transaction,
  changed: readonly [before: RenditionRow, after: RenditionRow][],
): Promise<void> {
  await updateRenditions(
    tx,
    changed.map(([, after]) => after),
  );
  const count = ({ recipe, state, bytes }: RenditionRow, sign: 1 | -1): TallyChange => ({
    scope: `recipe:${recipe}`,
    name: state,
    items: sign,
    bytes: sign * (bytes ?? 0),
  });
  await addToTallies(
    tx,
    changed.flatMap(([before, after]) => [count(before, -1), count(after, 1)]),
  );
}

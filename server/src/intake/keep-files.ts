import { flowSource } from '@uniferum/core/flow';
import { type Verdict, withRefusal, withWarning } from '@uniferum/core/intake';
import { cleanName, originalAddress } from '@uniferum/core/library';
import { recordEvents } from '../events/outbox.js';
import { insertAssets, type NewAsset } from '../library/asset-queries.js';
import { findCopies, type NewBlob } from '../library/blob-queries.js';
import { recordBlobs, recordHeldBlobs } from '../library/blobs.js';
import { assetCreated } from '../library/events.js';
import { countFacets } from '../library/facet-queries.js';
import { addToFolder, type StoredFolder } from '../library/folder-queries.js';
import { findFreeAddresses, type PlacedName } from '../library/free-address.js';
import type { ArrivedAsset } from '../library/joints.js';
import type { StagedBytes } from '../shared/byte-store.js';
import { addToCounters, type CounterChange } from '../shared/counters.js';
import type { Transaction } from '../shared/database.js';
import type { IntakeContext, LinkPreview, ReceivedFile } from './incoming.js';
import type { IntakeTools } from './tools.js';

/** A file judged while its folder is locked. */
export interface Judged {
  received: ReceivedFile;
  verdict: Verdict;
  /** The existing asset with the same bytes that is reused. */
  standIn: string | null;
}

/** An accepted file that has its place. */
export interface Placed extends Judged {
  place: PlacedName;
}

/**
 * Creates assets for accepted files.
 *
 * @param folder locked, as are the blobs
 * @returns their ids, in order
 */
export async function keepFiles(
  { joints }: Pick<IntakeTools, 'joints'>,
  tx: Transaction,
  { intake, folder, kept }: { intake: IntakeContext; folder: StoredFolder; kept: readonly Placed[] },
): Promise<string[]> {
  // Nearly all are durable already. Exceptions: files allowed by a rule that was loosened meanwhile, and blobs that
  // the cleanup quarantined while nothing referenced them.
  await Promise.all(kept.map(({ received }) => received.staged.keep()));
  await recordHeldBlobs(
    tx,
    kept.map(({ received: { staged } }) => blobOf(staged)),
  );
  const now = new Date();
  const assets = kept.map((one) => toAsset(one, { intake, folder, now }));
  const ids = await insertAssets(tx, assets);
  await countAssets(tx, intake, folder, assets);
  await recordEvents(
    tx,
    assets.map((asset, index) => ({
      event: assetCreated,
      asset: ids[index] as string,
      by: intake.by,
      data: { id: ids[index], name: asset.name, folder: folder.path, outcome: asset.verdict.outcome },
    })),
  );
  await recordBlobs(
    tx,
    kept.flatMap(({ received: { preview } }) => (preview ? [blobOf(preview.staged)] : [])),
  );
  const arrived = assets.map(({ name, kind, mime }, index): ArrivedAsset => {
    const preview = kept[index]?.received.preview;
    return {
      id: ids[index] as string,
      name,
      kind,
      mime,
      folder: folder.path,
      ...(preview && { preview: previewOf(preview) }),
    };
  });
  for (const listener of joints.listeners) await listener.arrived?.(tx, arrived, intake.by);
  return ids;
}

function blobOf({ sha256, bytes, crc32, copy }: StagedBytes): NewBlob {
  return { sha256, bytes, crc32, ...copy };
}

function previewOf({ staged: { sha256, bytes }, width, height }: LinkPreview): ArrivedAsset['preview'] {
  return { sha256, bytes, width, height, mime: 'image/webp' };
}

/**
 * Finds names whose addresses have never meant anything else, and says in verdicts what had to be renamed. A file that
 * must keep its name, and can't, is refused and left out.
 */
export async function placeFiles(
  tx: Transaction,
  folder: StoredFolder,
  kept: readonly Judged[],
): Promise<Placed[]> {
  const names = kept.map(({ received }) => cleanName(received.file.name));
  const places = await findFreeAddresses(tx, folder, names);
  const placed: Placed[] = [];
  for (const [index, one] of kept.entries()) {
    const [wanted, place] = [names[index] as string, places[index] as PlacedName];
    const isRenamed = place.name !== wanted;
    const address = originalAddress(folder.path, wanted);
    if (isRenamed && one.received.file.mustKeepName)
      one.verdict = withRefusal(one.verdict, {
        ...{ code: 'name-taken', limit: null, actual: wanted, folder: folder.path },
        message: `${address} is or was used by another file. Choose another name.`,
      });
    else {
      if (isRenamed)
        one.verdict = withWarning(one.verdict, {
          ...{ code: 'name-taken', limit: null, actual: place.name, folder: folder.path },
          message: `${address} is or was used by another file; this file was renamed to ${place.name}.`,
        });
      placed.push(Object.assign(one, { place }));
    }
  }
  return placed;
}

function toAsset(
  { received: { file, staged, examined }, verdict, place }: Placed,
  { intake, folder, now }: { intake: IntakeContext; folder: StoredFolder; now: Date },
): NewAsset {
  return {
    ...examined.texts,
    ...place,
    folderId: folder.id,
    kind: examined.kind,
    mime: examined.mime,
    sha256: staged.sha256,
    bytes: staged.bytes,
    width: examined.size?.width ?? null,
    height: examined.size?.height ?? null,
    orientation: examined.size?.orientation ?? null,
    capturedAt: examined.capturedAt,
    link: file.link ?? null,
    intakeId: intake.id,
    by: intake.by,
    via: intake.via,
    sentAs: file.name,
    verdict,
    createdAt: now,
  };
}

async function countAssets(
  tx: Transaction,
  intake: IntakeContext,
  folder: StoredFolder,
  assets: readonly NewAsset[],
): Promise<void> {
  const bytes = assets.reduce((sum, asset) => sum + asset.bytes, 0);
  await addToFolder(tx, folder.id, { items: assets.length, bytes });
  await addToCounters(
    tx,
    assets.flatMap(({ kind, bytes: size }): CounterChange[] => [
      { scope: 'kind', name: kind, items: 1, bytes: size },
      { scope: 'from', name: flowSource(intake.way, intake.via), items: 1, bytes: size },
    ]),
  );
  const copies = await findCopies(
    tx,
    assets.map(({ sha256 }) => sha256),
  );
  const firstStore = new Map(copies.toReversed().map(({ sha256, store }) => [sha256, store]));
  await countFacets(
    tx,
    assets.map((asset) => ({
      sign: 1,
      subject: {
        ...asset,
        createdAt: asset.createdAt.toISOString(),
        store: firstStore.get(asset.sha256) ?? null,
      },
    })),
  );
}

import {
  cleanName,
  type EffectiveRules,
  type FileFacts,
  flowSource,
  formatBytes,
  joinPath,
  judgeFile,
  originalAddress,
  type Reason,
  type Verdict,
  withRefusal,
  withRemark,
} from '@uniferum/core';
import { recordEvents } from '../hooks/outbox.js';
import { findAssetsByBytes, insertAssets, type NewAsset } from '../library/asset-queries.js';
import { findCopies } from '../library/blob-queries.js';
import { recordBlobs } from '../library/blobs.js';
import { countFacets } from '../library/facet-queries.js';
import { addToFolder, findFolderByPath, type StoredFolder } from '../library/folder-queries.js';
import { ensureFolder } from '../library/folders.js';
import { findFreeAddresses } from '../library/free-address.js';
import { addToTallies, type TallyChange } from '../library/tallies.js';
import { orderRenditions } from '../recipes/bookkeeping.js';
import { effectiveRules } from '../rules/service.js';
import type { Transaction } from '../shared/database.js';
import { groupBy } from '../shared/group.js';
import { factsOf } from './examine.js';
import type { IntakeContext, IntakeTools, ReceivedFile, TakenIn } from './incoming.js';
import { insertIntakeFiles } from './queries.js';

interface Judged {
  received: ReceivedFile;
  verdict: Verdict;
  /** The asset that has the same bytes and stands for the file. */
  standIn: string | null;
}

/**
 * Judges files with their folders held, so that of two uploads at once only one gets the last place, and writes what came
 * of them: assets, counts, verdicts, events and the work that follows.
 *
 * @returns what came of each, in their order
 */
export async function settleFiles(
  tools: IntakeTools,
  tx: Transaction,
  intake: IntakeContext,
  files: readonly ReceivedFile[],
): Promise<TakenIn[]> {
  const byFolder = groupBy(files, ({ file }) => file.folder);
  const taken = new Map<ReceivedFile, TakenIn>();
  // Folders are held in one order, so that two transactions don't wait for each other.
  for (const path of [...byFolder.keys()].sort())
    for (const [received, result] of await settleFolder(tools, tx, intake, path, byFolder.get(path) ?? []))
      taken.set(received, result);
  const results = files.map((file) => taken.get(file) as TakenIn);
  await recordVerdicts(
    tx,
    intake,
    results.map(({ verdict, assetId }, n) => ({ verdict, assetId, bytes: files[n]?.staged.bytes ?? 0 })),
  );
  return results;
}

/** Writes verdicts into the batch and the counts. */
export async function recordVerdicts(
  tx: Transaction,
  intake: IntakeContext,
  files: readonly { verdict: Verdict; assetId: string | null; bytes: number }[],
): Promise<void> {
  await insertIntakeFiles(tx, intake.id, files);
  await addToTallies(
    tx,
    files.map(({ verdict, bytes }) => ({ scope: 'verdict', name: verdict.outcome, items: 1, bytes })),
  );
}

async function settleFolder(
  tools: IntakeTools,
  tx: Transaction,
  intake: IntakeContext,
  path: string,
  files: readonly ReceivedFile[],
): Promise<[ReceivedFile, TakenIn][]> {
  const present = await findFolderByPath(tx, path, { lock: true });
  const rules = await effectiveRules(tx, path);
  const judged = await judge(tools, tx, { path, items: present?.items ?? 0 }, rules, files);
  const kept = judged.filter(({ verdict, standIn }) => verdict.outcome !== 'refused' && standIn === null);
  const assetIds = new Map<Judged, string>();
  if (kept.length > 0) {
    const folder = present ?? (await ensureFolder(tx, path, intake.by));
    const ids = await keepFiles(tx, intake, folder, kept);
    for (const [index, one] of kept.entries()) assetIds.set(one, ids[index] as string);
  }
  return judged.map((one) => [
    one.received,
    {
      verdict: one.verdict,
      assetId: assetIds.get(one) ?? one.standIn,
      sha256: one.received.staged.sha256,
    },
  ]);
}

async function judge(
  tools: IntakeTools,
  tx: Transaction,
  folder: { path: string; items: number },
  rules: EffectiveRules,
  files: readonly ReceivedFile[],
): Promise<Judged[]> {
  const digests = files.filter(({ staged }) => staged.bytes > 0).map(({ staged }) => staged.sha256);
  const twins = new Map<string, { id: string | null; address: string }>();
  for (const { sha256, id, folderPath, name } of await findAssetsByBytes(tx, digests))
    twins.set(sha256, { id, address: joinPath(folderPath, name) });
  let { items } = folder;
  return files.map((received) => {
    const { file, staged, examined } = received;
    const twin = staged.bytes > 0 ? (twins.get(staged.sha256) ?? null) : null;
    const facts: FileFacts = { ...factsOf(file, staged, examined), duplicateOf: twin?.address ?? null };
    let verdict = judgeFile(facts, rules, { path: folder.path, items });
    if (staged.path === null && verdict.outcome !== 'refused')
      verdict = withRefusal(verdict, tooLargeForServer(facts, tools.config.maxUploadBytes));
    const standIn =
      rules.duplicates?.value === 'point' && verdict.outcome !== 'refused' ? (twin?.id ?? null) : null;
    if (verdict.outcome !== 'refused' && standIn === null) {
      items += 1;
      // A second one with the same bytes in this very batch is a duplicate of the first.
      if (!twins.has(staged.sha256) && staged.bytes > 0)
        twins.set(staged.sha256, { id: null, address: joinPath(folder.path, cleanName(file.name)) });
    }
    return { received, verdict, standIn };
  });
}

/** Makes assets of files that were accepted, and sets their verdicts' remarks about names. @returns their ids, in order */
async function keepFiles(
  tx: Transaction,
  intake: IntakeContext,
  folder: StoredFolder,
  kept: Judged[],
): Promise<string[]> {
  const names = kept.map(({ received }) => cleanName(received.file.name));
  const places = await findFreeAddresses(tx, folder, names);
  for (const [index, one] of kept.entries()) {
    const [wanted, place] = [names[index] as string, places[index] as { name: string }];
    if (place.name !== wanted)
      one.verdict = withRemark(one.verdict, nameTaken(wanted, place.name, folder.path));
  }
  // Nearly all are durable already; a rule that was loosened meanwhile lets in what was not.
  await Promise.all(kept.map(({ received }) => received.staged.keep()));
  await recordBlobs(
    tx,
    kept.map(({ received: { staged } }) => ({
      sha256: staged.sha256,
      bytes: staged.bytes,
      crc32: staged.crc32,
      store: staged.copy.store,
      key: staged.copy.key,
    })),
  );
  const copies = await findCopies(
    tx,
    kept.map(({ received }) => received.staged.sha256),
  );
  const firstStore = new Map(copies.toReversed().map(({ sha256, store }) => [sha256, store]));
  const now = new Date();
  const assets = kept.map(
    ({ received: { file, staged, examined }, verdict }, index): NewAsset => ({
      ...examined.texts,
      ...(places[index] as { name: string; addressStem: string }),
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
      sentAs: file.name.slice(0, 500),
      verdict,
      createdAt: now,
    }),
  );
  const ids = await insertAssets(tx, assets);
  const bytes = assets.reduce((sum, asset) => sum + asset.bytes, 0);
  await addToFolder(tx, folder.id, { items: assets.length, bytes });
  await addToTallies(
    tx,
    assets.flatMap(({ kind, bytes: size }): TallyChange[] => [
      { scope: 'kind', name: kind, items: 1, bytes: size },
      { scope: 'from', name: flowSource(intake.way, intake.via), items: 1, bytes: size },
    ]),
  );
  await countFacets(
    tx,
    assets.map((asset) => ({
      sign: 1,
      subject: {
        ...asset,
        createdAt: now.toISOString(),
        store: firstStore.get(asset.sha256) ?? null,
      },
    })),
  );
  await recordEvents(
    tx,
    assets.map((asset, index) => ({
      type: 'asset.created',
      asset: ids[index] as string,
      by: intake.by,
      data: { id: ids[index], name: asset.name, folder: folder.path, outcome: asset.verdict.outcome },
    })),
  );
  await orderRenditions(
    tx,
    assets.map(({ name, kind, mime }, index) => ({
      id: ids[index] as string,
      name,
      kind,
      mime,
      folder: folder.path,
    })),
    intake.by,
  );
  return ids;
}

function tooLargeForServer(facts: FileFacts, limit: number): Reason {
  return {
    code: 'too-large',
    limit,
    actual: facts.bytes,
    folder: null,
    message: `${facts.name} has ${formatBytes(facts.bytes)}; this installation takes files up to ${formatBytes(limit)}.`,
  };
}

function nameTaken(wanted: string, kept: string, folder: string): Reason {
  return {
    code: 'name-taken',
    limit: null,
    actual: kept,
    folder,
    message: `${originalAddress(folder, wanted)} belongs or belonged to another file; this one is kept as ${kept}.`,
  };
}

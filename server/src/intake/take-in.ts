import type { Readable } from 'node:stream';
import {
  type AssetTexts,
  capturedAt,
  cleanName,
  DECODABLE_MIMES,
  type FileFacts,
  formatBytes,
  joinPath,
  judgeFile,
  kindOfMime,
  originalAddress,
  type Reason,
  sniffMime,
  textsFromMetadata,
  type Verdict,
  withRefusal,
  withRemark,
} from '@uniferum/core';
import type { Principal } from '../access/principal.js';
import type { App } from '../app.js';
import { recordEvent } from '../hooks/outbox.js';
import { findAssetByBytes, insertAsset } from '../library/asset-queries.js';
import { filledTexts } from '../library/assets.js';
import { recordBlobs } from '../library/blobs.js';
import { addToFolder, findFolderByPath } from '../library/folder-queries.js';
import { ensureFolder } from '../library/folders.js';
import { findFreeAddress } from '../library/free-address.js';
import { addToTallies, addToTally } from '../library/tallies.js';
import { orderRenditions } from '../recipes/bookkeeping.js';
import { effectiveRules } from '../rules/service.js';
import { inTransaction, type Transaction } from '../shared/database.js';
import type { StagedBytes } from '../stores/byte-store.js';
import { type PictureSize, readEmbedded, readPictureSize } from './embedded.js';
import { insertIntakeFile } from './queries.js';

/** The batch to which a file belongs. */
export interface IntakeContext {
  id: string;
  /** The stored path of the folder into which it goes. */
  folder: string;
  who: Principal;
  via: 'console' | 'api';
}

export interface IncomingFile {
  name: string;
  stream: Readable;
  /** Texts that were sent along; they go before those in the file. */
  texts: Partial<AssetTexts>;
}

/** What came of one file: its verdict, and the asset when it was not refused. */
export interface TakenIn {
  verdict: Verdict;
  assetId: string | null;
  sha256: string | null;
}

interface Examined {
  facts: FileFacts;
  mime: string;
  size: PictureSize | null;
  texts: AssetTexts;
  capturedAt: string | null;
}

/**
 * Takes one file in: streams it to the store in one pass, looks at it, judges it by the folder's rules, and makes it an
 * asset or refuses it. Whatever happens, its verdict is in the intake; a refused file leaves no bytes behind.
 */
export async function takeIn(app: App, intake: IntakeContext, file: IncomingFile): Promise<TakenIn> {
  const rules = await effectiveRules(app.db, intake.folder);
  const limitBytes = Math.min(rules.maxBytes?.value ?? Number.POSITIVE_INFINITY, app.config.maxUploadBytes);
  let staged: StagedBytes;
  try {
    staged = await app.store.stage(file.stream, { limitBytes });
  } catch (error) {
    await recordBrokenOff(app, intake, file.name);
    throw error;
  }
  try {
    const examined = await examine(staged, file);
    const taken = await inTransaction(app.db, (tx) => settle(app, tx, { intake, file, staged, examined }));
    return { ...taken, sha256: staged.sha256 };
  } finally {
    await staged.discard();
  }
}

async function examine(staged: StagedBytes, file: IncomingFile): Promise<Examined> {
  const mime = sniffMime(staged.head, file.name);
  const facts: FileFacts = { name: file.name, bytes: staged.bytes, mime };
  const nothing = {
    mime,
    size: null,
    texts: mergeTexts(textsFromMetadata({}), file.texts),
    capturedAt: null,
  };
  const { path } = staged;
  if (path === null || staged.bytes === 0 || !DECODABLE_MIMES.includes(mime)) return { ...nothing, facts };
  try {
    const size = await readPictureSize(path);
    const { metadata } = await readEmbedded(path);
    const texts = mergeTexts(textsFromMetadata(metadata), file.texts);
    return {
      facts: { ...facts, width: size.width, height: size.height },
      mime,
      size,
      texts,
      capturedAt: capturedAt(metadata),
    };
  } catch (error) {
    return {
      ...nothing,
      facts: { ...facts, unreadable: error instanceof Error ? error.message : String(error) },
    };
  }
}

function mergeTexts(embedded: AssetTexts, sent: Partial<AssetTexts>): AssetTexts {
  return {
    ...embedded,
    ...Object.fromEntries(Object.entries(sent).filter(([, value]) => value !== undefined)),
  };
}

interface Settling {
  intake: IntakeContext;
  file: IncomingFile;
  staged: StagedBytes;
  examined: Examined;
}

/** Judges with the folder held, so that of two uploads at once only one gets the last place; and writes what came of it. */
async function settle(
  app: App,
  tx: Transaction,
  { intake, file, staged, examined }: Settling,
): Promise<{ verdict: Verdict; assetId: string | null }> {
  const present = await findFolderByPath(tx, intake.folder, { lock: true });
  const rules = await effectiveRules(tx, intake.folder);
  const twin = staged.bytes > 0 ? await findAssetByBytes(tx, staged.sha256) : null;
  const facts: FileFacts = {
    ...examined.facts,
    texts: filledTexts(examined.texts),
    duplicateOf: twin === null ? null : joinPath(twin.folderPath, twin.name),
  };
  let verdict = judgeFile(facts, rules, { path: intake.folder, items: present?.items ?? 0 });
  if (staged.path === null && verdict.outcome !== 'refused')
    verdict = withRefusal(verdict, tooLargeForServer(facts, app.config.maxUploadBytes));
  if (verdict.outcome === 'refused') {
    await recordVerdict(tx, intake, { verdict, assetId: null, bytes: staged.bytes });
    return { verdict, assetId: null };
  }

  await staged.keep();
  const folder = present ?? (await ensureFolder(tx, intake.folder, intake.who.name));
  const name = cleanName(file.name);
  const place = await findFreeAddress(tx, folder, name);
  if (place.name !== name) verdict = withRemark(verdict, nameTaken(name, place.name, folder.path));
  const blob = { sha256: staged.sha256, bytes: staged.bytes, crc32: staged.crc32 };
  await recordBlobs(tx, [{ ...blob, store: app.store.name, key: app.store.keyOf(staged.sha256) }]);
  const kind = kindOfMime(examined.mime);
  const assetId = await insertAsset(tx, {
    ...examined.texts,
    ...place,
    folderId: folder.id,
    kind,
    mime: examined.mime,
    sha256: staged.sha256,
    bytes: staged.bytes,
    width: examined.size?.width ?? null,
    height: examined.size?.height ?? null,
    orientation: examined.size?.orientation ?? null,
    capturedAt: examined.capturedAt,
    intakeId: intake.id,
    by: intake.who.name,
    via: intake.via,
    sentAs: file.name.slice(0, 500),
    verdict,
  });
  const amount = { items: 1, bytes: staged.bytes };
  await addToFolder(tx, folder.id, amount);
  await addToTallies(tx, [
    { scope: 'kind', name: kind, ...amount },
    { scope: 'via', name: intake.via, ...amount },
  ]);
  await recordVerdict(tx, intake, { verdict, assetId, bytes: staged.bytes });
  await recordEvent(tx, {
    type: 'asset.created',
    asset: assetId,
    by: intake.who.name,
    data: { id: assetId, name: place.name, folder: folder.path, outcome: verdict.outcome },
  });
  await orderRenditions(
    tx,
    { id: assetId, name: place.name, kind, mime: examined.mime, folder: folder.path },
    intake.who.name,
  );
  return { verdict, assetId };
}

async function recordVerdict(
  tx: Transaction,
  intake: IntakeContext,
  file: { verdict: Verdict; assetId: string | null; bytes: number },
): Promise<void> {
  await insertIntakeFile(tx, { intakeId: intake.id, ...file });
  await addToTally(tx, 'verdict', file.verdict.outcome, { items: 1, bytes: file.bytes });
}

async function recordBrokenOff(app: App, intake: IntakeContext, name: string): Promise<void> {
  const reason: Reason = {
    code: 'incomplete',
    limit: null,
    actual: null,
    folder: null,
    message: `The connection broke off while ${name} was on its way; nothing of it was kept. Send it again.`,
  };
  const verdict: Verdict = { name, outcome: 'refused', reasons: [reason] };
  await inTransaction(app.db, (tx) => recordVerdict(tx, intake, { verdict, assetId: null, bytes: 0 }));
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

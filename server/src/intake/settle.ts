import { formatBytes, type Reason, type Verdict, withRefusal, withWarning } from '@uniferum/core/intake';
import { cleanName, joinPath } from '@uniferum/core/library';
import { type EffectiveRules, type FileFacts, judgeFile, withTokenLimits } from '@uniferum/core/rules';
import { addTokenItems, lockTokenItems } from '../access/token-queries.js';
import { recordEvent } from '../events/outbox.js';
import { findAssetsByBytes } from '../library/asset-queries.js';
import { deleteUnkept, holdBlobs } from '../library/blob-queries.js';
import { inOrder } from '../library/blobs.js';
import type { StoredFolder } from '../library/folder-queries.js';
import {
  announceFolders,
  dropFolders,
  type HeldFolder,
  holdFolders,
  sortByUse,
} from '../library/hold-folders.js';
import { lockFor } from '../library/listeners.js';
import { effectiveRules } from '../rules/service.js';
import { addToCounters } from '../shared/counters.js';
import type { Transaction } from '../shared/database.js';
import { isUnfitValue } from '../shared/database-errors.js';
import { groupBy } from '../shared/group.js';
import { intakeChanged } from './events.js';
import { factsOf } from './examine.js';
import type { IntakeContext, ReceivedFile, TakenIn } from './incoming.js';
import { type Judged, keepFiles, placeFiles } from './keep-files.js';
import { insertIntakeFiles } from './queries.js';
import { type IntakeTools, limitsOf } from './tools.js';

/**
 * Evaluates files against the rules of their folders while holding a lock on each folder and blob, so that two
 * concurrent uploads cannot both take the last free slot or both be the first copy, then stores assets, counters,
 * verdicts, events and follow-up work. A file whose values do not fit the database is refused by itself.
 *
 * @returns the result for each file, in order
 */
export async function judgeAndStore(
  tools: IntakeTools,
  tx: Transaction,
  intake: IntakeContext,
  files: readonly ReceivedFile[],
): Promise<TakenIn[]> {
  const results = await storeOrRefuse(tools, tx, intake, files);
  await recordVerdicts(
    tx,
    intake,
    results.map(({ verdict, assetId }, n) => ({ verdict, assetId, bytes: files[n]?.staged.bytes ?? 0 })),
  );
  return results;
}

async function storeOrRefuse(
  tools: IntakeTools,
  tx: Transaction,
  intake: IntakeContext,
  files: readonly ReceivedFile[],
): Promise<TakenIn[]> {
  try {
    return await tx.savepoint(() => storeAll(tools, tx, intake, files));
  } catch (error) {
    if (!isUnfitValue(error)) throw error;
    const [only] = files;
    if (files.length === 1 && only)
      return [{ verdict: unstorable(only), assetId: null, sha256: only.staged.sha256 }];
    const results: TakenIn[] = [];
    for (const file of files) results.push(...(await storeOrRefuse(tools, tx, intake, [file])));
    return results;
  }
}

/** Records verdicts in the batch and the counters, and reports a batch from which nothing was accepted. */
export async function recordVerdicts(
  tx: Transaction,
  intake: Pick<IntakeContext, 'id' | 'by'>,
  files: readonly { verdict: Verdict; assetId: string | null; bytes: number }[],
): Promise<void> {
  await insertIntakeFiles(tx, intake.id, files);
  await addToCounters(
    tx,
    files.map(({ verdict, bytes }) => ({ scope: 'verdict', name: verdict.outcome, items: 1, bytes })),
  );
  if (files.length > 0 && files.every(({ assetId }) => assetId === null))
    await recordEvent(tx, { event: intakeChanged, by: intake.by, data: { intake: intake.id } });
}

async function storeAll(
  tools: IntakeTools,
  tx: Transaction,
  intake: IntakeContext,
  files: readonly ReceivedFile[],
): Promise<TakenIn[]> {
  await lockFor(tools.joints, tx, {
    paths: files.map(({ file }) => joinPath(file.folder, cleanName(file.name))),
  });
  const byFolder = groupBy(files, ({ file }) => file.folder);
  const held = await holdFolders(tx, [...byFolder.keys()]);
  const whole = files.filter(({ staged }) => staged.path !== null);
  await holdBlobs(tx, inOrder(whole.map(({ staged }) => staged)));
  // All empty files have the same bytes, and do not count as copies of each other.
  const twins = await findTwins(
    tx,
    whole.filter(({ staged }) => staged.bytes > 0),
  );
  const tokenItems = tools.token ? await lockTokenItems(tx, tools.token.id) : null;
  const room = { tokenItems: tokenItems ?? 0 };
  const taken = new Map<ReceivedFile, TakenIn>();
  const usedPaths: string[] = [];
  for (const [path, { folder }] of held) {
    const rules = await effectiveRules(tx, path);
    const judged = judge(tools, { folder, rules, files: byFolder.get(path) ?? [], twins, room });
    const wanted = judged.filter(({ verdict, standIn }) => verdict.outcome !== 'refused' && standIn === null);
    const kept = wanted.length > 0 ? await placeFiles(tx, folder, wanted) : [];
    room.tokenItems -= wanted.length - kept.length;
    const ids = kept.length > 0 ? await keepFiles(tools, tx, { intake, folder, kept }) : [];
    if (kept.length > 0) usedPaths.push(path);
    for (const one of judged)
      taken.set(one.received, {
        verdict: one.verdict,
        assetId: ids[kept.findIndex(({ received }) => received === one.received)] ?? one.standIn,
        sha256: one.received.staged.sha256,
      });
  }
  if (tools.token) await addTokenItems(tx, tools.token.id, room.tokenItems - (tokenItems ?? 0));
  await settleFolders(tx, held, usedPaths, intake.by);
  const results = files.map((file) => taken.get(file) as TakenIn);
  await deleteUnkept(
    tx,
    results.filter(({ assetId }) => assetId === null).flatMap(({ sha256 }) => sha256 ?? []),
  );
  return results;
}

/** Reports new folders, and removes those that stayed empty. */
async function settleFolders(
  tx: Transaction,
  held: ReadonlyMap<string, HeldFolder>,
  usedPaths: readonly string[],
  by: string,
): Promise<void> {
  const made = new Map<string, StoredFolder>();
  for (const one of held.values()) for (const folder of one.made) made.set(folder.id, folder);
  const { used, unused } = sortByUse([...made.values()], usedPaths);
  await announceFolders(tx, used, by);
  await dropFolders(tx, unused);
}

/** An asset with the same bytes; its id is null while it is in the same batch and not stored yet. */
interface Twin {
  id: string | null;
  address: string;
}

async function findTwins(tx: Transaction, files: readonly ReceivedFile[]): Promise<Map<string, Twin>> {
  const found = await findAssetsByBytes(
    tx,
    files.map(({ staged }) => staged.sha256),
  );
  return new Map(
    found.map(({ sha256, id, folderPath, name }) => [sha256, { id, address: joinPath(folderPath, name) }]),
  );
}

interface Judging {
  folder: { path: string; items: number };
  rules: EffectiveRules;
  files: readonly ReceivedFile[];
  twins: Map<string, Twin>;
  /** How many files were uploaded with the token, these included. */
  room: { tokenItems: number };
}

function judge(tools: IntakeTools, { folder, rules, files, twins, room }: Judging): Judged[] {
  let { items } = folder;
  return files.map((received) => {
    const { file, staged, examined } = received;
    const twin = staged.bytes > 0 ? (twins.get(staged.sha256) ?? null) : null;
    const facts: FileFacts = { ...factsOf(file, staged, examined), duplicateOf: twin?.address ?? null };
    const ruled = judgeFile(facts, rules, { path: folder.path, items }, limitsOf(tools));
    const verdict = withArrival(
      tools.token ? withTokenLimits(ruled, facts, tools.token, room.tokenItems) : ruled,
      received,
    );
    const standIn =
      rules.duplicates?.value === 'reuse' && verdict.outcome !== 'refused' ? (twin?.id ?? null) : null;
    if (verdict.outcome !== 'refused' && standIn === null) {
      items += 1;
      room.tokenItems += 1;
      // A second file with the same bytes in this batch is a duplicate of the first.
      if (!twins.has(staged.sha256) && staged.bytes > 0)
        twins.set(staged.sha256, { id: null, address: joinPath(folder.path, cleanName(file.name)) });
    }
    return { received, verdict, standIn };
  });
}

/** Adds to a verdict what became of the file on its way. */
function withArrival(verdict: Verdict, received: ReceivedFile): Verdict {
  if (verdict.outcome === 'refused') return verdict;
  // It was cut off by a limit that no longer applies.
  if (received.staged.path === null) return withRefusal(verdict, cutOff(received));
  return withChanges(verdict, received);
}

function withChanges(verdict: Verdict, { file, examined }: ReceivedFile): Verdict {
  let told = verdict;
  if (file.hadDirectionMarks)
    told = withWarning(told, {
      code: 'name-cleaned',
      limit: null,
      actual: file.name,
      folder: null,
      message: `Invisible characters that change the direction of text were removed from the name of ${file.name}.`,
    });
  if (file.sentNameLength !== undefined)
    told = withWarning(told, {
      code: 'name-invalid',
      limit: file.name,
      actual: file.sentNameLength,
      folder: null,
      message: `The original name had ${file.sentNameLength} characters; it was shortened to ${file.name}.`,
    });
  for (const { field, limit, actual } of examined.shortened)
    told = withWarning(told, {
      code: 'text-shortened',
      limit,
      actual,
      folder: null,
      message: `The ${field} of ${file.name} is too long (${actual} characters, limit ${limit}); it was shortened.`,
    });
  return told;
}

function cutOff({ file, staged }: ReceivedFile): Reason {
  return {
    code: 'too-large',
    limit: null,
    actual: staged.bytes,
    folder: null,
    message: `${file.name} has ${formatBytes(staged.bytes)}, but a limit that changed meanwhile truncated it. Upload it again.`,
  };
}

function unstorable({ file }: ReceivedFile): Verdict {
  return {
    name: file.name,
    outcome: 'refused',
    reasons: [
      {
        code: 'not-storable',
        limit: null,
        actual: null,
        folder: null,
        message: `${file.name} contains a value that can't be stored. Save it with another program and upload it again.`,
      },
    ],
  };
}

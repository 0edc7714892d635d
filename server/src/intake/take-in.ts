import type { Readable } from 'node:stream';
import type { Reason, Verdict } from '@uniferum/core/intake';
import { MAX_SENT_NAME_LENGTH } from '@uniferum/core/library';
import { judgeFile } from '@uniferum/core/rules';
import type { StagedBytes } from '../shared/byte-store.js';
import { inTransaction, type Transaction } from '../shared/database.js';
import { isEnvironmentFault } from '../shared/errors.js';
import { examine, factsOf } from './examine.js';
import {
  type IncomingFile,
  type IntakeContext,
  type ReceivedFile,
  type TakenIn,
  withSafeName,
} from './incoming.js';
import { judgeAndStore, recordVerdicts } from './settle.js';
import { cutOffBytes, type IntakeTools, limitsOf, rulesFor } from './tools.js';

/** A batch is stored whenever this many files or bytes have been received: one transaction for all of them. */
export const SETTLE_LIMITS = { files: 64, bytes: 32 * 1024 * 1024 } as const;

/** A received file that is being inspected. */
export interface ArrivedFile {
  staged: StagedBytes;
  received: Promise<ReceivedFile>;
}

/**
 * Stages a stream in one pass and starts inspecting it. A stream that fails leaves only its verdict; a fault of the
 * store is thrown, and is never a verdict on the file.
 */
export async function receiveStream(
  tools: IntakeTools,
  intake: IntakeContext,
  file: IncomingFile,
  stream: Readable,
): Promise<ArrivedFile> {
  const rules = await rulesFor(tools, file.folder);
  const limitBytes = cutOffBytes(tools, rules);
  let staged: StagedBytes;
  try {
    staged = await tools.store.stage(stream, { limitBytes });
  } catch (error) {
    const { name } = withSafeName(file);
    if (!isEnvironmentFault(error))
      await refuseFile(tools, intake, name, {
        code: 'incomplete',
        message: `The connection was lost while ${name} was being uploaded; nothing was stored. Upload it again.`,
      });
    throw error;
  }
  const received = receiveStaged(tools, file, staged);
  // The code that stores the batch handles the error.
  received.catch(() => {});
  return { staged, received };
}

/** Inspects staged bytes, and discards them on failure. */
export async function receiveStaged(
  tools: IntakeTools,
  incoming: IncomingFile,
  staged: StagedBytes,
): Promise<ReceivedFile> {
  const file = withSafeName(incoming);
  try {
    return { file, staged, examined: await examine(tools, staged, file) };
  } catch (error) {
    await staged.discard();
    throw error;
  }
}

/** Records additional data in the transaction that stores the files. */
export type AlsoRecord = (tx: Transaction, taken: readonly TakenIn[]) => Promise<void>;

/**
 * Imports received files in one transaction. In any case, none of them stays staged.
 *
 * @param intake the batch they belong to, or a function that creates it in the same transaction
 * @param alsoRecord runs in the same transaction
 */
export async function takeIn(
  tools: IntakeTools,
  intake: IntakeContext | ((tx: Transaction) => Promise<IntakeContext>),
  files: readonly ReceivedFile[],
  alsoRecord?: AlsoRecord,
): Promise<TakenIn[]> {
  try {
    await makeDurable(tools, files);
    return await inTransaction(tools.db, async (tx) => {
      const batch = typeof intake === 'function' ? await intake(tx) : intake;
      const taken = await judgeAndStore(tools, tx, batch, files);
      await alsoRecord?.(tx, taken);
      return taken;
    });
  } finally {
    await discardAll(files);
  }
}

/**
 * Makes the bytes of all files durable that their folder would accept now. The final verdict is given while the
 * folder is locked; blobs refused by it are cleaned up later.
 */
export async function makeDurable(tools: IntakeTools, files: readonly ReceivedFile[]): Promise<void> {
  const rulesOf = new Map(
    await Promise.all(
      [...new Set(files.map(({ file }) => file.folder))].map(
        async (folder) => [folder, await rulesFor(tools, folder)] as const,
      ),
    ),
  );
  const outcomes = await Promise.allSettled(
    files.map(async ({ file, staged, examined }) => {
      const rules = rulesOf.get(file.folder);
      if (staged.path === null || !rules) return;
      const place = { path: file.folder, items: 0 };
      const verdict = judgeFile(factsOf(file, staged, examined), rules, place, limitsOf(tools));
      if (verdict.outcome !== 'refused') await staged.keep();
    }),
  );
  const failed = outcomes.find((outcome) => outcome.status === 'rejected');
  if (failed) throw failed.reason;
}

export async function discardAll(files: readonly { staged: StagedBytes }[]): Promise<void> {
  await Promise.all(files.map(({ staged }) => staged.discard()));
}

/** Records the refusal of a file whose bytes did not arrive. */
export async function refuseFile(
  tools: Pick<IntakeTools, 'db'>,
  intake: IntakeContext,
  name: string,
  reason: Pick<Reason, 'code' | 'message'>,
): Promise<Verdict> {
  return inTransaction(tools.db, (tx) => refuseFileIn(tx, intake, name, reason));
}

/** Records the refusal of a file whose bytes did not arrive, in the current transaction. */
export async function refuseFileIn(
  tx: Transaction,
  intake: IntakeContext,
  name: string,
  reason: Pick<Reason, 'code' | 'message'>,
): Promise<Verdict> {
  const verdict = refusedVerdict(name, reason);
  await recordVerdicts(tx, intake, [{ verdict, assetId: null, bytes: 0 }]);
  return verdict;
}

/** The verdict on a file refused for one reason. */
export function refusedVerdict(name: string, reason: Pick<Reason, 'code' | 'message'>): Verdict {
  return {
    name: shorten(name, MAX_SENT_NAME_LENGTH),
    outcome: 'refused',
    reasons: [
      { limit: null, actual: null, folder: null, code: reason.code, message: shorten(reason.message, 2000) },
    ],
  };
}

function shorten(text: string, length: number): string {
  return text.length > length ? `${text.slice(0, length - 1)}…` : text;
}

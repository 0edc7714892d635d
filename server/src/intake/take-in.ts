import type { Readable } from 'node:stream';
import { judgeFile, type Reason, type Verdict } from '@uniferum/core';
import { inTransaction, type Transaction } from '../shared/database.js';
import type { StagedBytes } from '../stores/byte-store.js';
import { examine, factsOf } from './examine.js';
import {
  type IncomingFile,
  type IntakeContext,
  type IntakeTools,
  type ReceivedFile,
  rulesFor,
  type TakenIn,
} from './incoming.js';
import { recordVerdicts, settleFiles } from './settle.js';

/** A batch is settled whenever so many files or bytes have come together: one transaction for all of them. */
export const SETTLE_LIMITS = { files: 64, bytes: 32 * 1024 * 1024 } as const;

/** Receives a stream: stages it in one pass and looks at it. A stream that breaks off leaves its verdict and nothing else. */
export async function receiveStream(
  tools: IntakeTools,
  intake: IntakeContext,
  file: IncomingFile,
  stream: Readable,
): Promise<ReceivedFile> {
  const rules = await rulesFor(tools, file.folder);
  const limitBytes = Math.min(rules.maxBytes?.value ?? Number.POSITIVE_INFINITY, tools.config.maxUploadBytes);
  let staged: StagedBytes;
  try {
    staged = await tools.store.stage(stream, { limitBytes });
  } catch (error) {
    await refuseFile(tools, intake, file.name, {
      code: 'incomplete',
      message: `The connection broke off while ${file.name} was on its way; nothing of it was kept. Send it again.`,
    });
    throw error;
  }
  return receiveStaged(tools, file, staged);
}

/** Looks at bytes that are staged. They are discarded when that fails. */
export async function receiveStaged(
  tools: IntakeTools,
  file: IncomingFile,
  staged: StagedBytes,
): Promise<ReceivedFile> {
  try {
    return { file, staged, examined: await examine(tools, staged, file) };
  } catch (error) {
    await staged.discard();
    throw error;
  }
}

/** Takes files in that were received, in one transaction. Whatever happens, none of them stays staged. */
export async function takeIn(
  tools: IntakeTools,
  intake: IntakeContext,
  files: readonly ReceivedFile[],
): Promise<TakenIn[]> {
  try {
    await makeDurable(tools, files);
    return await inTransaction(tools.db, (tx) => settleFiles(tools, tx, intake, files));
  } finally {
    await discardAll(files);
  }
}

/**
 * Makes the bytes durable of all files that their folder would take now. The definite judgement comes with the folder
 * held; bytes that it refuses after all are swept later.
 */
export async function makeDurable(tools: IntakeTools, files: readonly ReceivedFile[]): Promise<void> {
  const rulesOf = new Map(
    await Promise.all(
      [...new Set(files.map(({ file }) => file.folder))].map(
        async (folder) => [folder, await rulesFor(tools, folder)] as const,
      ),
    ),
  );
  await Promise.all(
    files.map(async ({ file, staged, examined }) => {
      const rules = rulesOf.get(file.folder);
      if (staged.path === null || !rules) return;
      const verdict = judgeFile(factsOf(file, staged, examined), rules, { path: file.folder, items: 0 });
      if (verdict.outcome !== 'refused') await staged.keep();
    }),
  );
}

export async function discardAll(files: readonly ReceivedFile[]): Promise<void> {
  await Promise.all(files.map(({ staged }) => staged.discard()));
}

/** Writes the refusal of a file of which no bytes came. */
export async function refuseFile(
  tools: IntakeTools,
  intake: IntakeContext,
  name: string,
  reason: Pick<Reason, 'code' | 'message'>,
): Promise<Verdict> {
  return inTransaction(tools.db, (tx) => refuseFileIn(tx, intake, name, reason));
}

/** Writes the refusal of a file of which no bytes came, in a transaction that is going on. */
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

/** The verdict of a file that is refused for one reason. */
export function refusedVerdict(name: string, reason: Pick<Reason, 'code' | 'message'>): Verdict {
  return { name, outcome: 'refused', reasons: [{ limit: null, actual: null, folder: null, ...reason }] };
}

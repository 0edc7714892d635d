import { randomBytes } from 'node:crypto';
import { join } from 'node:path';
import type { AssetTexts } from '@uniferum/core/library';
import { inTransaction, type Transaction } from '../shared/database.js';
import { UniferumError } from '../shared/errors.js';
import type { Principal } from '../shared/principal.js';
import { openIntakeIn } from './batches.js';
import type { IntakeContext } from './incoming.js';
import { ownsIntake } from './queries.js';
import { receiveStaged, takeIn } from './take-in.js';
import { forBatch, type IntakeTools } from './tools.js';
import { unpackArchive } from './unpack-archive.js';
import type { UploadOutcome } from './upload-outcome.js';
import { claimUpload, findUpload, releaseUpload, updateUploadResult } from './upload-queries.js';

/** What is sent along with an upload. */
export interface UploadRequest {
  name: string;
  folder: string;
  texts: Partial<AssetTexts>;
  unpack: boolean;
  ownFolder: boolean;
  mustKeepName: boolean;
  intake: string | null;
}

/**
 * Imports a completed upload exactly once: it is claimed, processed, and recorded in the same commit. If that fails
 * the bytes stay, and requesting the result tries again.
 *
 * @throws UniferumError `request-in-progress` while another request or server does it
 */
export async function finishUpload(
  tools: IntakeTools,
  who: Principal,
  id: string,
  request: UploadRequest,
): Promise<UploadOutcome> {
  const token = randomBytes(16).toString('hex');
  const leaseMs = tools.config.requestLeaseMs;
  if (!(await claimUpload(tools.db, id, token, leaseMs))) {
    const row = await findUpload(tools.db, id, who.ref);
    if (row?.result) return row.result;
    throw new UniferumError('request-in-progress', 'It is being imported. Request its result in a moment.', {
      retryAfterSeconds: 2,
    });
  }
  const renewing = setInterval(() => {
    claimUpload(tools.leases, id, token, leaseMs).catch((error) =>
      tools.log.warn({ err: error, upload: id }, 'the claim of an upload could not be renewed'),
    );
  }, leaseMs / 3);
  const record = async (tx: Transaction, outcome: UploadOutcome) => {
    if (!(await updateUploadResult(tx, id, token, outcome)))
      throw new UniferumError('request-in-progress', 'Another server took this upload over.', {
        retryAfterSeconds: 2,
      });
    return outcome;
  };
  try {
    return await takeArrivalIn(tools, who, id, request, record);
  } catch (error) {
    if (!(error instanceof UniferumError && error.options.verdict)) throw error;
    const { verdict } = error.options;
    return await inTransaction(tools.db, (tx) =>
      record(tx, { verdict, asset: null, intake: null, run: null }),
    );
  } finally {
    clearInterval(renewing);
    await releaseUpload(tools.db, id, token).catch(() => {
      // The database is unavailable; the claim expires by itself.
    });
  }
}

async function takeArrivalIn(
  installation: IntakeTools,
  who: Principal,
  id: string,
  { name, folder, texts, unpack, ownFolder, mustKeepName, intake: given }: UploadRequest,
  record: (tx: Transaction, outcome: UploadOutcome) => Promise<UploadOutcome>,
): Promise<UploadOutcome> {
  const tools = forBatch(installation);
  const staged = await tools.store.importLocalFile(join(tools.store.arrivals(), id), { mode: 'link' });
  if (unpack) {
    const toOutcome = (batch: { intake: string; run: string }): UploadOutcome => ({
      verdict: { name, outcome: 'accepted', reasons: [] },
      asset: null,
      ...batch,
    });
    const batch = await unpackArchive(tools, who, { name, staged, folder, ownFolder }, async (tx, begun) => {
      await record(tx, toOutcome(begun));
    });
    return toOutcome(batch);
  }
  const isOwn = given !== null && (await ownsIntake(tools.db, given, who.ref));
  const via = who.kind === 'user' ? 'console' : 'api';
  let context: IntakeContext | null =
    isOwn && given !== null ? { id: given, folder, by: who.name, via, way: 'resumable' } : null;
  const open = async (tx: Transaction) => {
    context =
      isOwn && context ? context : await openIntakeIn(tx, who, { way: 'resumable', folder, label: name });
    return context;
  };
  const file = await receiveStaged(tools, { name, folder, texts, mustKeepName }, staged);
  const outcomes: UploadOutcome[] = [];
  await takeIn(tools, open, [file], async (tx, taken) => {
    const { id: intake } = context as IntakeContext;
    for (const { verdict, assetId: asset } of taken)
      outcomes.push(await record(tx, { verdict, asset, intake, run: null }));
  });
  // A transaction that was repeated has recorded more than one.
  return outcomes.at(-1) as UploadOutcome;
}

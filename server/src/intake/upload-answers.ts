import type { Verdict } from '@uniferum/core/intake';
import type { Asset } from '@uniferum/core/library';
import { toAssetAnswers } from '../library/asset-answers.js';
import { findAssets } from '../library/asset-queries.js';
import type { Answer } from '../shared/answer.js';
import { API_BASE } from '../shared/route.js';
import { refusal } from './batches.js';
import type { TakenIn } from './incoming.js';
import type { IntakeTools } from './tools.js';

/** One file's entry in the answer to an upload of several. */
interface UploadResult {
  name: string;
  status: number;
  asset?: Asset;
  verdict?: Verdict;
}

/** Answers with the asset created from a file, or with the problem why it was refused. */
export async function answerTaken(tools: IntakeTools, taken: TakenIn): Promise<Answer> {
  const [asset] = await readAssets(tools, [taken]);
  if (!asset) throw refusal(taken.verdict);
  return {
    status: 201,
    body: asset,
    headers: { Location: `${tools.config.publicUrl}${API_BASE}/assets/${asset.id}` },
  };
}

/** Answers with what came of each of several files, in order. */
export async function answerSeveral(tools: IntakeTools, taken: readonly TakenIn[]): Promise<Answer> {
  const assets = new Map((await readAssets(tools, taken)).map((asset) => [asset.id, asset]));
  const results = taken.map(({ verdict, assetId }): UploadResult => {
    const asset = assetId === null ? undefined : assets.get(assetId);
    return { name: verdict.name, status: asset ? 201 : 422, ...(asset && { asset }), verdict };
  });
  return { status: 207, body: { results } };
}

async function readAssets(tools: IntakeTools, taken: readonly TakenIn[]): Promise<Asset[]> {
  const ids = taken.map(({ assetId }) => assetId).filter((id) => id !== null);
  for (const listener of tools.joints.listeners) await listener.awaited?.(tools.db, ids);
  return toAssetAnswers(tools, await findAssets(tools.db, ids.map(Number)));
}

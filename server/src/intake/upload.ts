import { type Asset, type AssetTexts, parseFolderPath, ROOT_PATH, type Verdict } from '@uniferum/core';
import type { Request } from 'express';
import type { Principal } from '../access/principal.js';
import type { App } from '../app.js';
import { toAssetAnswers } from '../library/asset-answers.js';
import { findAssets } from '../library/asset-queries.js';
import { UniferumError } from '../shared/errors.js';
import {
  beginRequest,
  type Earlier,
  fingerprintOf,
  finishRequest,
  forgetRequest,
  replay,
} from '../shared/idempotency.js';
import { type Answer, API_BASE } from '../shared/route.js';
import { readMultipart } from './multipart.js';
import { insertIntake, ownsIntake } from './queries.js';
import { type IntakeContext, type TakenIn, takeIn } from './take-in.js';

/** One file's line in the answer to an upload of several. */
interface UploadResult {
  name: string;
  status: number;
  asset?: Asset;
  verdict?: Verdict;
}

/**
 * Answers an upload. A repeat under the same Idempotency-Key is read and compared with the first one, and then gets its
 * answer; nothing of it is kept.
 */
export async function answerUpload(app: App, who: Principal, req: Request): Promise<Answer> {
  const key = req.get('idempotency-key');
  if (key === undefined) return (await upload(app, who, req)).answer;
  const request = { who, key, route: `POST ${req.path}` };
  const earlier = await beginRequest(app.db, request);
  if (earlier.state === 'answered') return replayUpload(app, req, earlier);
  try {
    const { answer, fingerprint } = await upload(app, who, req);
    await finishRequest(app.db, request, fingerprint, answer);
    return answer;
  } catch (error) {
    await forgetRequest(app.db, request);
    throw error;
  }
}

async function upload(
  app: App,
  who: Principal,
  req: Request,
): Promise<{ answer: Answer; fingerprint: string }> {
  let intake: IntakeContext | null = null;
  const taken: TakenIn[] = [];
  const digests: [name: string, sha256: string | null][] = [];
  const fields = await readMultipart(req, async ({ name, stream }, before) => {
    intake ??= await openIntake(app, who, before);
    const result = await takeIn(app, intake, { name, stream, texts: readTexts(before) });
    taken.push(result);
    digests.push([name, result.sha256]);
  });
  if (taken.length === 0) {
    throw new UniferumError(
      'malformed-request',
      'There was no file in it. Send at least one part named "file" with a file name, after the field "folder".',
    );
  }
  const answer =
    taken.length === 1 ? await answerOne(app, taken[0] as TakenIn) : await answerSeveral(app, taken);
  return { answer, fingerprint: fingerprintOf([[...fields], digests]) };
}

async function replayUpload(
  app: App,
  req: Request,
  earlier: Extract<Earlier, { state: 'answered' }>,
): Promise<Answer> {
  const digests: [name: string, sha256: string | null][] = [];
  const fields = await readMultipart(req, async ({ name, stream }) => {
    const staged = await app.store.stage(stream, { limitBytes: app.config.maxUploadBytes });
    await staged.discard();
    digests.push([name, staged.sha256]);
  });
  return replay(earlier, fingerprintOf([[...fields], digests]));
}

async function openIntake(
  app: App,
  who: Principal,
  fields: ReadonlyMap<string, string[]>,
): Promise<IntakeContext> {
  const folder = parseFolderPath(fields.get('folder')?.[0] ?? ROOT_PATH);
  if (!folder.ok)
    throw new UniferumError('malformed-request', `The folder can't be: ${folder.reason}.`, {
      errors: [{ field: 'folder', code: 'folder-path', message: folder.reason }],
    });
  const via = who.kind === 'user' ? 'console' : 'api';
  const given = fields.get('intake')?.[0];
  if (given !== undefined && !(/^\d{1,18}$/.test(given) && (await ownsIntake(app.db, given, who.ref)))) {
    throw new UniferumError('malformed-request', `There is no intake ${given} that you began.`, {
      errors: [{ field: 'intake', code: 'intake-unknown', message: 'begin one with POST /intakes' }],
    });
  }
  const id =
    given ?? (await insertIntake(app.db, { folder: folder.path, by: who.name, principal: who.ref, via }));
  return { id, folder: folder.path, who, via };
}

function readTexts(fields: ReadonlyMap<string, string[]>): Partial<AssetTexts> {
  const texts: Partial<AssetTexts> = {};
  for (const field of ['title', 'alt', 'caption', 'credit'] as const) {
    const value = fields.get(field)?.[0]?.trim();
    if (value) texts[field] = value.slice(0, field === 'alt' || field === 'caption' ? 5000 : 500);
  }
  const keywords = fields.get('keywords')?.flatMap((value) => value.split(','));
  if (keywords) texts.keywords = keywords.map((word) => word.trim()).filter((word) => word !== '');
  return texts;
}

async function answerOne(app: App, taken: TakenIn): Promise<Answer> {
  const [asset] = await readAssets(app, [taken]);
  if (asset)
    return {
      status: 201,
      body: asset,
      headers: { Location: `${app.config.publicUrl}${API_BASE}/assets/${asset.id}` },
    };
  throw new UniferumError('refused', taken.verdict.reasons.map(({ message }) => message).join(' '), {
    verdict: taken.verdict,
  });
}

async function answerSeveral(app: App, taken: readonly TakenIn[]): Promise<Answer> {
  const assets = new Map((await readAssets(app, taken)).map((asset) => [asset.id, asset]));
  const results = taken.map(({ verdict, assetId }): UploadResult => {
    const asset = assetId === null ? undefined : assets.get(assetId);
    return { name: verdict.name, status: asset ? 201 : 422, ...(asset && { asset }), verdict };
  });
  return { status: 207, body: { results } };
}

async function readAssets(app: App, taken: readonly TakenIn[]): Promise<Asset[]> {
  const ids = taken.map(({ assetId }) => assetId).filter((id) => id !== null);
  return toAssetAnswers(app.db, await findAssets(app.db, ids.map(Number)), app.config.publicUrl);
}

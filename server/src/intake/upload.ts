import { type Asset, type AssetTexts, parseFolderPath, ROOT_PATH, type Verdict } from '@uniferum/core';
import type { Request } from 'express';
import type { Principal } from '../access/principal.js';
import type { App } from '../app.js';
import { toAssetAnswers } from '../library/asset-answers.js';
import { findAssets } from '../library/asset-queries.js';
import { makeAtOnce } from '../recipes/make-now.js';
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
import { openIntake, refusal } from './batches.js';
import {
  forBatch,
  type IntakeContext,
  type IntakeTools,
  type ReceivedFile,
  type TakenIn,
} from './incoming.js';
import { type FilePart, readMultipart } from './multipart.js';
import { ownsIntake } from './queries.js';
import { receiveStream, SETTLE_LIMITS, takeIn } from './take-in.js';
import { unpackArchive } from './unpack-archive.js';

/** One file's line in the answer to an upload of several. */
interface UploadResult {
  name: string;
  status: number;
  asset?: Asset;
  verdict?: Verdict;
}

type Fields = ReadonlyMap<string, string[]>;

/**
 * Answers an upload. A repeat under the same Idempotency-Key is read and compared with the first one, and then gets its
 * answer; nothing of it is kept.
 */
export async function answerUpload(app: App, who: Principal, req: Request): Promise<Answer> {
  const key = req.get('idempotency-key');
  if (key === undefined) return (await new Upload(app, who).receive(req)).answer;
  const request = { who, key, route: `POST ${req.path}` };
  const earlier = await beginRequest(app.db, request);
  if (earlier.state === 'answered') return replayUpload(app, req, earlier);
  try {
    const { answer, fingerprint } = await new Upload(app, who).receive(req);
    await finishRequest(app.db, request, fingerprint, answer);
    return answer;
  } catch (error) {
    await forgetRequest(app.db, request);
    throw error;
  }
}

/** One multipart request: its files are received one by one and settled together. */
class Upload {
  readonly #app: App;
  readonly #tools: IntakeTools;
  readonly #who: Principal;
  #intake: IntakeContext | null = null;
  #unpacked: Answer | null = null;
  #waiting: ReceivedFile[] = [];
  readonly #taken: TakenIn[] = [];
  readonly #digests: [name: string, sha256: string | null][] = [];

  constructor(app: App, who: Principal) {
    this.#app = app;
    this.#tools = forBatch(app);
    this.#who = who;
  }

  async receive(req: Request): Promise<{ answer: Answer; fingerprint: string }> {
    let fields: Fields;
    try {
      fields = await readMultipart(req, (part, before) => this.#take(part, before));
    } finally {
      // Also when the request breaks off: what came whole is taken in.
      await this.#settle();
    }
    return {
      answer: this.#unpacked ?? (await this.#answer()),
      fingerprint: fingerprintOf([[...fields], this.#digests]),
    };
  }

  async #take({ name, stream }: FilePart, before: Fields): Promise<void> {
    if (this.#unpacked)
      throw new UniferumError(
        'malformed-request',
        'One archive at a time can be unpacked. Send the next one by itself.',
      );
    const folder = readFolder(before);
    if (lastOf(before, 'unpack') === 'true') {
      await this.#unpack(name, stream, folder, before);
      return;
    }
    this.#intake ??= await this.#open(before, folder);
    const texts = readTexts(before);
    const received = await receiveStream(this.#tools, this.#intake, { name, folder, texts }, stream);
    this.#digests.push([name, received.staged.sha256]);
    this.#waiting.push(received);
    const bytes = this.#waiting.reduce((sum, { staged }) => sum + staged.bytes, 0);
    if (this.#waiting.length >= SETTLE_LIMITS.files || bytes >= SETTLE_LIMITS.bytes) await this.#settle();
  }

  async #unpack(name: string, stream: FilePart['stream'], folder: string, before: Fields): Promise<void> {
    const staged = await this.#app.store.stage(stream, { limitBytes: this.#app.config.maxUploadBytes });
    this.#digests.push([name, staged.sha256]);
    const ownFolder = lastOf(before, 'ownFolder') === 'true';
    const batch = await unpackArchive(this.#app, this.#who, { name, staged, folder, ownFolder });
    this.#unpacked = { status: 202, body: batch };
  }

  async #settle(): Promise<void> {
    const files = this.#waiting;
    this.#waiting = [];
    if (this.#intake && files.length > 0)
      this.#taken.push(...(await takeIn(this.#tools, this.#intake, files)));
  }

  async #open(fields: Fields, folder: string): Promise<IntakeContext> {
    const given = lastOf(fields, 'intake');
    if (given === undefined) return openIntake(this.#app, this.#who, { way: 'upload', folder });
    if (!(/^\d{1,18}$/.test(given) && (await ownsIntake(this.#app.db, given, this.#who.ref))))
      throw new UniferumError('malformed-request', `There is no intake ${given} that you began.`, {
        errors: [{ field: 'intake', code: 'intake-unknown', message: 'begin one with POST /intakes' }],
      });
    const via = this.#who.kind === 'user' ? 'console' : 'api';
    return { id: given, folder, by: this.#who.name, via, way: 'upload' };
  }

  async #answer(): Promise<Answer> {
    const [first] = this.#taken;
    if (first === undefined)
      throw new UniferumError(
        'malformed-request',
        'There was no file in it. Send at least one part named "file" with a file name, after the field "folder".',
      );
    return this.#taken.length === 1 ? answerTaken(this.#app, first) : answerSeveral(this.#app, this.#taken);
  }
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

/** A field holds for the files after it, until it comes again. */
function lastOf(fields: Fields, name: string): string | undefined {
  return fields.get(name)?.at(-1);
}

function readFolder(fields: Fields): string {
  const folder = parseFolderPath(lastOf(fields, 'folder') ?? ROOT_PATH);
  if (!folder.ok)
    throw new UniferumError('malformed-request', `The folder can't be: ${folder.reason}.`, {
      errors: [{ field: 'folder', code: 'folder-path', message: folder.reason }],
    });
  return folder.path;
}

function readTexts(fields: Fields): Partial<AssetTexts> {
  const texts: Partial<AssetTexts> = {};
  for (const field of ['title', 'alt', 'caption', 'credit'] as const) {
    const value = lastOf(fields, field)?.trim();
    if (value) texts[field] = value.slice(0, field === 'alt' || field === 'caption' ? 5000 : 500);
  }
  const keywords = lastOf(fields, 'keywords')?.split(',');
  if (keywords) texts.keywords = keywords.map((word) => word.trim()).filter((word) => word !== '');
  return texts;
}

/** Answers with the asset that a file became, or with the problem that it was refused. */
export async function answerTaken(app: App, taken: TakenIn): Promise<Answer> {
  const [asset] = await readAssets(app, [taken]);
  if (!asset) throw refusal(taken.verdict);
  return {
    status: 201,
    body: asset,
    headers: { Location: `${app.config.publicUrl}${API_BASE}/assets/${asset.id}` },
  };
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
  await makeAtOnce(app, ids);
  return toAssetAnswers(app.db, await findAssets(app.db, ids.map(Number)), app.config.publicUrl);
}

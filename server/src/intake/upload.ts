import type { Verdict } from '@uniferum/core/intake';
import { type Asset, type AssetTexts, parseFolderPath, ROOT_PATH, TEXT_LIMITS } from '@uniferum/core/library';
import type { Request } from 'express';
import { type Fields, type FilePart, readMultipart } from '../inspection/multipart.js';
import { toAssetAnswers } from '../library/asset-answers.js';
import { findAssets } from '../library/asset-queries.js';
import type { Answer } from '../shared/answer.js';
import { type Transaction, writeJson } from '../shared/database.js';
import { UniferumError } from '../shared/errors.js';
import {
  Claim,
  fingerprintOf,
  type Idempotency,
  keyReused,
  replay,
  type StoredResponse,
} from '../shared/idempotency.js';
import type { Principal } from '../shared/principal.js';
import { requireScope } from '../shared/register-routes.js';
import { API_BASE } from '../shared/route.js';
import { type BegunBatch, openIntake, refusal } from './batches.js';
import type { IntakeContext, TakenIn } from './incoming.js';
import { ownsIntake } from './queries.js';
import { type ArrivedFile, discardAll, receiveStream, SETTLE_LIMITS, takeIn } from './take-in.js';
import { forBatch, type IntakeTools } from './tools.js';
import { unpackArchive } from './unpack-archive.js';

/** A request that brings files, and the claims by which its retries are recognised. */
export interface Asking {
  who: Principal;
  req: Request;
  idempotency: Idempotency;
}

/** One file's entry in the answer to an upload of several. */
interface UploadResult {
  name: string;
  status: number;
  asset?: Asset;
  verdict?: Verdict;
}

/** The result of one part of an upload; stored in the same commit as the file, so that a retry finds it. */
type PartResult =
  | { kind: 'file'; taken: TakenIn; intake: IntakeContext }
  | { kind: 'archive'; batch: BegunBatch };

/**
 * Answers an upload. A retry with the same Idempotency-Key is read and compared with the original request. If that
 * was answered, the retry gets its answer; if it failed midway, its stored results count and the rest is imported.
 */
export async function answerUpload(tools: IntakeTools, { who, req, idempotency }: Asking): Promise<Answer> {
  const key = req.get('idempotency-key');
  if (key === undefined) return (await new Upload(tools, who, null).receive(req)).answer;
  const claim = await idempotency.claim(who, key, `POST ${req.path}`);
  if (!(claim instanceof Claim)) return replayUpload(tools, req, claim);
  try {
    const upload = new Upload(tools, who, claim);
    await upload.recall();
    const { answer, fingerprint } = await upload.receive(req);
    await claim.keep(tools.db, fingerprint, answer);
    return answer;
  } finally {
    await claim.release();
  }
}

interface WaitingFile extends ArrivedFile {
  n: number;
  digest: string;
}

/** One multipart request: its files are received one by one and stored together. */
class Upload {
  readonly #tools: IntakeTools;
  readonly #who: Principal;
  readonly #claim: Claim | null;
  #intake: IntakeContext | null = null;
  #unpacked: BegunBatch | null = null;
  #waiting: WaitingFile[] = [];
  #next = 0;
  readonly #taken = new Map<number, TakenIn>();
  readonly #digests: string[] = [];
  /** The results of an earlier attempt, by part. */
  readonly #known = new Map<number, { digest: string; result: PartResult }>();

  constructor(tools: IntakeTools, who: Principal, claim: Claim | null) {
    this.#tools = forBatch(tools);
    this.#who = who;
    this.#claim = claim;
  }

  /** Looks up the results of an earlier attempt. */
  async recall(): Promise<void> {
    for (const { n, digest, result } of (await this.#claim?.parts()) ?? [])
      this.#known.set(n, { digest, result: JSON.parse(result) });
  }

  async receive(req: Request): Promise<{ answer: Answer; fingerprint: string }> {
    let digest: string;
    try {
      ({ digest } = await readMultipart(req, (part, before) => this.#take(part, before)));
    } finally {
      // Also when the request fails midway: files that arrived completely are imported.
      await this.#settle();
    }
    return {
      answer: this.#unpacked ? { status: 202, body: this.#unpacked } : await this.#answer(),
      fingerprint: fingerprintOf([digest, this.#digests]),
    };
  }

  async #take({ name, stream }: FilePart, before: Fields): Promise<void> {
    if (this.#unpacked)
      throw new UniferumError(
        'malformed-request',
        'Only one archive can be unpacked per request. Send the next one separately.',
      );
    const n = this.#next;
    this.#next += 1;
    const folder = readFolder(before);
    requireScope(this.#who, folder);
    if (before.get('unpack') === 'true') {
      if (this.#who.scope)
        throw new UniferumError('right-missing', 'A token can’t be used to unpack archives.');
      await this.#unpack(n, { name, stream }, folder, before);
      return;
    }
    this.#intake ??= await this.#open(before, folder);
    const file = { name, folder, texts: readTexts(before) };
    const arrived = await receiveStream(this.#tools, this.#intake, file, stream);
    const digest = this.#remember(n, name, folder, arrived);
    if (await this.#isKnown(n, digest, arrived)) return;
    this.#waiting.push({ ...arrived, n, digest });
    const bytes = this.#waiting.reduce((sum, { staged }) => sum + staged.bytes, 0);
    if (this.#waiting.length >= SETTLE_LIMITS.files || bytes >= SETTLE_LIMITS.bytes) await this.#settle();
  }

  #remember(n: number, name: string, folder: string, { staged }: Pick<ArrivedFile, 'staged'>): string {
    this.#digests.push(`${name} ${staged.sha256}`);
    return fingerprintOf([n, name, folder, staged.sha256]);
  }

  /** Reuses the result of an earlier attempt for the same file. @throws UniferumError `key-reused` for another one */
  async #isKnown(n: number, digest: string, arrived: ArrivedFile): Promise<boolean> {
    const known = this.#known.get(n);
    if (!known) return false;
    await arrived.received.catch(() => {});
    await arrived.staged.discard();
    requireSame(known.digest, digest);
    if (known.result.kind === 'file') this.#taken.set(n, known.result.taken);
    return true;
  }

  async #unpack(n: number, { name, stream }: FilePart, folder: string, before: Fields): Promise<void> {
    const staged = await this.#tools.store.stage(stream, { limitBytes: this.#tools.config.maxUploadBytes });
    const digest = this.#remember(n, name, folder, { staged });
    const known = this.#known.get(n);
    if (known?.result.kind === 'archive') {
      await staged.discard();
      requireSame(known.digest, digest);
      this.#unpacked = known.result.batch;
      return;
    }
    const ownFolder = before.get('ownFolder') === 'true';
    this.#unpacked = await unpackArchive(
      this.#tools,
      this.#who,
      { name, staged, folder, ownFolder },
      (tx, batch) => this.#record(tx, [{ n, digest, result: { kind: 'archive', batch } }]),
    );
  }

  async #settle(): Promise<void> {
    const waiting = this.#waiting;
    this.#waiting = [];
    const intake = this.#intake;
    if (intake === null || waiting.length === 0) return;
    const looked = await Promise.allSettled(waiting.map(({ received }) => received));
    const failed = looked.find((one) => one.status === 'rejected');
    if (failed) {
      await discardAll(waiting);
      throw failed.reason;
    }
    const files = looked.flatMap((one) => (one.status === 'fulfilled' ? [one.value] : []));
    const taken = await takeIn(this.#tools, intake, files, (tx, results) =>
      this.#record(
        tx,
        results.map((result, index) => ({
          ...(waiting[index] as WaitingFile),
          result: { kind: 'file', taken: result, intake },
        })),
      ),
    );
    for (const [index, result] of taken.entries()) this.#taken.set(waiting[index]?.n ?? 0, result);
  }

  async #record(
    tx: Transaction,
    parts: readonly { n: number; digest: string; result: PartResult }[],
  ): Promise<void> {
    // A refused file has left nothing: a retry is judged again.
    const effects = parts.filter(({ result }) => result.kind === 'archive' || result.taken.assetId !== null);
    await this.#claim?.recordParts(
      tx,
      effects.map(({ n, digest, result }) => ({ n, digest, result: writeJson(result) })),
    );
  }

  async #open(fields: Fields, folder: string): Promise<IntakeContext> {
    for (const { result } of this.#known.values()) if (result.kind === 'file') return result.intake;
    const given = fields.get('intake');
    if (given === undefined) return openIntake(this.#tools, this.#who, { way: 'upload', folder });
    if (!(/^\d{1,18}$/.test(given) && (await ownsIntake(this.#tools.db, given, this.#who.ref))))
      throw new UniferumError('malformed-request', `You have no intake ${given.slice(0, 40)}.`, {
        errors: [{ field: 'intake', code: 'intake-unknown', message: 'start one with POST /intakes' }],
      });
    const via = this.#who.kind === 'user' ? 'console' : 'api';
    return { id: given, folder, by: this.#who.name, via, way: 'upload' };
  }

  async #answer(): Promise<Answer> {
    const taken = [...this.#taken].sort(([a], [b]) => a - b).map(([, result]) => result);
    const [first] = taken;
    if (first === undefined)
      throw new UniferumError(
        'malformed-request',
        'The request contains no file. Send at least one part named "file" with a file name, after the field "folder".',
      );
    return taken.length === 1 ? answerTaken(this.#tools, first) : answerSeveral(this.#tools, taken);
  }
}

function requireSame(before: string, now: string): void {
  if (before !== now) throw keyReused();
}

async function replayUpload(tools: IntakeTools, req: Request, earlier: StoredResponse): Promise<Answer> {
  const digests: string[] = [];
  const { digest } = await readMultipart(req, async ({ name, stream }) => {
    const staged = await tools.store.stage(stream, { limitBytes: tools.config.maxUploadBytes });
    await staged.discard();
    digests.push(`${name} ${staged.sha256}`);
  });
  return replay(earlier, fingerprintOf([digest, digests]));
}

function readFolder(fields: Fields): string {
  const folder = parseFolderPath(fields.get('folder') ?? ROOT_PATH);
  if (!folder.ok)
    throw new UniferumError('malformed-request', `The folder is invalid: ${folder.reason}.`, {
      errors: [{ field: 'folder', code: 'folder-path', message: folder.reason }],
    });
  return folder.path;
}

function readTexts(fields: Fields): Partial<AssetTexts> {
  const texts: Partial<AssetTexts> = {};
  for (const field of ['title', 'alt', 'caption', 'credit'] as const) {
    const value = fields.get(field)?.trim();
    if (value) texts[field] = value;
  }
  const keywords = fields.get('keywords')?.split(',', TEXT_LIMITS.keywords + 1);
  if (keywords) texts.keywords = keywords.map((word) => word.trim()).filter((word) => word !== '');
  return texts;
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

async function answerSeveral(tools: IntakeTools, taken: readonly TakenIn[]): Promise<Answer> {
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

import type { Request } from 'express';
import { type Fields, type FilePart, readMultipart } from '../inspection/multipart.js';
import type { Answer } from '../shared/answer.js';
import { type Transaction, writeJson } from '../shared/database.js';
import { UniferumError } from '../shared/errors.js';
import { Claim, fingerprintOf, type Idempotency, keyReused } from '../shared/idempotency.js';
import type { Principal } from '../shared/principal.js';
import { requireScope } from '../shared/register-routes.js';
import { type BegunBatch, openIntake } from './batches.js';
import type { IncomingFile, IntakeContext, TakenIn } from './incoming.js';
import { ownsIntake } from './queries.js';
import { replayUpload } from './replay-upload.js';
import {
  type ArrivedFile,
  discardAll,
  receiveStaged,
  receiveStream,
  SETTLE_LIMITS,
  takeIn,
} from './take-in.js';
import { forBatch, type IntakeTools } from './tools.js';
import { unpackArchive } from './unpack-archive.js';
import { answerSeveral, answerTaken } from './upload-answers.js';
import {
  incomingFile,
  readFolder,
  readTexts,
  requireInTime,
  requireKnownFields,
  requireUnpackable,
} from './upload-fields.js';
import type { HeldFile, PartResult, WaitingFile } from './upload-parts.js';

/** A request that brings files, and the claims by which its retries are recognised. */
export interface Asking {
  who: Principal;
  req: Request;
  idempotency: Idempotency;
}

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

/** One multipart request: its files are received one by one and stored together. */
class Upload {
  readonly #tools: IntakeTools;
  readonly #who: Principal;
  readonly #claim: Claim | null;
  #intake: IntakeContext | null = null;
  #unpacked: BegunBatch | null = null;
  #waiting: WaitingFile[] = [];
  #held: HeldFile[] = [];
  #next = 0;
  /** A file has come that may be renamed. */
  #mayRename = false;
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
    const { fields, digest } = await readMultipart(req, (part, before) => this.#take(part, before)).catch(
      async (error) => {
        // Files that arrived completely before it are imported, as far as it is known where to.
        await discardAll(this.#held);
        await this.#settle();
        throw error;
      },
    );
    try {
      requireKnownFields(fields);
      requireInTime(fields, { isUnpacked: this.#unpacked !== null, mayRename: this.#mayRename });
      await this.#admitHeld(fields);
      await this.#addLateTexts(fields);
    } catch (error) {
      await Promise.allSettled(this.#waiting.map(({ received }) => received));
      await discardAll([...this.#waiting, ...this.#held]);
      throw error;
    }
    await this.#settle();
    return {
      answer: this.#unpacked ? { status: 202, body: this.#unpacked } : await this.#answer(),
      fingerprint: fingerprintOf([digest, this.#digests]),
    };
  }

  async #take({ name, stream }: FilePart, before: Fields): Promise<void> {
    if (this.#unpacked)
      throw new UniferumError(
        'malformed-request',
        `Only one archive can be unpacked per request. The first one is being unpacked by run ${this.#unpacked.run}; send the next one separately.`,
      );
    requireKnownFields(before);
    const n = this.#next;
    this.#next += 1;
    const isUnpacked = before.get('unpack') === 'true';
    if (!before.has('folder') && !isUnpacked) {
      await this.#hold(n, { name, stream }, before);
      return;
    }
    await this.#admitHeld(before);
    const folder = readFolder(before);
    requireScope(this.#who, folder);
    if (isUnpacked) {
      requireUnpackable(this.#who, before);
      await this.#unpack(n, { name, stream }, folder, before);
      return;
    }
    this.#intake ??= await this.#open(before, folder);
    const file = incomingFile(name, folder, before);
    const arrived = await receiveStream(this.#tools, this.#intake, file, stream);
    this.#digests[n] = `${name} ${arrived.staged.sha256}`;
    await this.#await(n, file, { arrived, before });
  }

  /** Keeps a file until its folder is known: the field may come after it. */
  async #hold(n: number, { name, stream }: FilePart, before: Fields): Promise<void> {
    const staged = await this.#tools.store.stage(stream, { limitBytes: this.#tools.config.maxUploadBytes });
    this.#digests[n] = `${name} ${staged.sha256}`;
    this.#held.push({ n, name, staged, before });
    const bytes = this.#held.reduce((sum, one) => sum + one.staged.bytes, 0);
    // As many as are stored together can wait; more without a folder go where files without one go.
    if (this.#held.length >= SETTLE_LIMITS.files || bytes >= SETTLE_LIMITS.bytes)
      await this.#admitHeld(before);
  }

  /** Imports what was held, with the fields that came after it where it had none of its own. */
  async #admitHeld(fields: Fields): Promise<void> {
    const held = this.#held;
    this.#held = [];
    try {
      for (let one = held.shift(); one; one = held.shift()) {
        const { n, name, staged } = one;
        const before = new Map([...fields, ...one.before]);
        let folder: string;
        try {
          folder = readFolder(before);
          requireScope(this.#who, folder);
          this.#intake ??= await this.#open(before, folder);
        } catch (error) {
          await staged.discard();
          throw error;
        }
        const file = incomingFile(name, folder, before);
        const received = receiveStaged(this.#tools, file, staged);
        received.catch(() => {});
        await this.#await(n, file, { arrived: { staged, received }, before });
      }
    } finally {
      await discardAll(held);
    }
  }

  /** Fields after the last file belong to the files that are not stored yet. */
  async #addLateTexts(fields: Fields): Promise<void> {
    const late = readTexts(fields);
    for (const one of this.#waiting) {
      const missing = Object.entries(late).filter(
        ([field]) => !(field in one.file.texts) && !one.before.has(field),
      );
      if (missing.length === 0) continue;
      await one.received.catch(() => {});
      one.file = { ...one.file, texts: { ...Object.fromEntries(missing), ...one.file.texts } };
      one.received = receiveStaged(this.#tools, one.file, one.staged);
      one.received.catch(() => {});
    }
  }

  async #await(
    n: number,
    file: IncomingFile,
    { arrived, before }: { arrived: ArrivedFile; before: Fields },
  ): Promise<void> {
    this.#mayRename ||= !file.mustKeepName;
    const digest = fingerprintOf([n, file.name, file.folder, arrived.staged.sha256]);
    if (await this.#isKnown(n, digest, arrived)) return;
    this.#waiting.push({ ...arrived, n, digest, file, before });
    const bytes = this.#waiting.reduce((sum, { staged }) => sum + staged.bytes, 0);
    if (this.#waiting.length >= SETTLE_LIMITS.files || bytes >= SETTLE_LIMITS.bytes) await this.#settle();
  }

  /** Reuses the result of an earlier attempt for the same file. @throws UniferumError `key-reused` for another one */
  async #isKnown(n: number, digest: string, arrived: ArrivedFile): Promise<boolean> {
    const known = this.#known.get(n);
    if (!known) return false;
    await arrived.received.catch(() => {});
    await arrived.staged.discard();
    if (known.digest !== digest) throw keyReused();
    if (known.result.kind === 'file') this.#taken.set(n, known.result.taken);
    return true;
  }

  async #unpack(n: number, { name, stream }: FilePart, folder: string, before: Fields): Promise<void> {
    const staged = await this.#tools.store.stage(stream, { limitBytes: this.#tools.config.maxUploadBytes });
    this.#digests[n] = `${name} ${staged.sha256}`;
    const digest = fingerprintOf([n, name, folder, staged.sha256]);
    const known = this.#known.get(n);
    if (known?.result.kind === 'archive') {
      await staged.discard();
      if (known.digest !== digest) throw keyReused();
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
        'The request contains no file. Send at least one part named "file" with a file name.',
      );
    return taken.length === 1 ? answerTaken(this.#tools, first) : answerSeveral(this.#tools, taken);
  }
}

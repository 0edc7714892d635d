import type { AssetTexts } from '@uniferum/core/library';
import Joi from 'joi';
import type { Answer } from '../shared/answer.js';
import { writeJson } from '../shared/database.js';
import { Claim, fingerprintOf, keyReused, replay } from '../shared/idempotency.js';
import { FetchFailure } from '../shared/outgoing.js';
import type { Principal } from '../shared/principal.js';
import { requireScope, validate } from '../shared/register-routes.js';
import { folderPathSchema } from '../shared/schemas.js';
import { openIntake, refusal } from './batches.js';
import { fetchFile } from './fetch-file.js';
import type { TakenIn } from './incoming.js';
import { takeLinkIn } from './links.js';
import { type AlsoRecord, receiveStaged, refuseFile, takeIn } from './take-in.js';
import { cutOffBytes, type IntakeTools } from './tools.js';
import type { Asking } from './upload.js';
import { answerTaken } from './upload-answers.js';

interface SourceBody extends Partial<AssetTexts> {
  source: string;
  folder: string;
  name?: string | null;
  rename: boolean;
  as: 'file' | 'link';
}

const text = (max: number) => Joi.string().trim().max(max).allow(null, '');

/** The JSON body of `POST /assets/from-address`, which `POST /assets` takes too. */
export const sourceSchema = Joi.object({
  source: Joi.string()
    .trim()
    .min(1)
    .max(4_000_000)
    .required()
    .description('an http(s) address or a data URI'),
  folder: folderPathSchema.default('/'),
  name: Joi.string().trim().max(500).allow(null).default(null),
  rename: Joi.boolean()
    .default(true)
    .description('false refuses a file whose name is taken, which is renamed otherwise'),
  as: Joi.string()
    .valid('file', 'link')
    .default('file')
    .description('link keeps the address and its description (oEmbed)'),
  title: text(500),
  alt: text(5000),
  caption: text(5000),
  credit: text(500),
  keywords: Joi.array().items(Joi.string().trim().min(1).max(100)).max(200),
}).example({ source: 'https://skerry.example/dusk.jpg', folder: '/lights', alt: 'The light at dusk' });

/**
 * Answers a request to import one file from a URL. The result is stored in the same commit as the asset, so that a
 * retry with the same Idempotency-Key does not import it again.
 */
export async function answerSource(tools: IntakeTools, { who, req, idempotency }: Asking): Promise<Answer> {
  const body = validate(sourceSchema, req.body) as SourceBody;
  const key = req.get('idempotency-key');
  if (key === undefined) return takeSourceIn(tools, who, body);
  const fingerprint = fingerprintOf([req.originalUrl, req.body]);
  const claim = await idempotency.claim(who, key, `POST ${req.path}`);
  if (!(claim instanceof Claim)) return replay(claim, fingerprint);
  try {
    const [done] = await claim.parts();
    if (done && done.digest !== fingerprint) throw keyReused();
    const answer = done
      ? await answerTaken(tools, JSON.parse(done.result) as TakenIn)
      : await takeSourceIn(tools, who, body, (tx, [taken]) =>
          claim.recordParts(tx, [{ n: 0, digest: fingerprint, result: writeJson(taken) }]),
        );
    await claim.keep(tools.db, fingerprint, answer);
    return answer;
  } finally {
    await claim.release();
  }
}

async function takeSourceIn(
  tools: IntakeTools,
  who: Principal,
  { source, folder, name, as, rename, ...sent }: SourceBody,
  alsoRecord?: AlsoRecord,
): Promise<Answer> {
  requireScope(who, folder);
  const texts = Object.fromEntries(Object.entries(sent).filter(([, one]) => one !== '' && one !== null));
  const target = { folder, texts, mustKeepName: !rename };
  const intake = await openIntake(tools, who, { way: as === 'link' ? 'link' : 'address', folder });
  if (as === 'link')
    return answerTaken(tools, await takeLinkIn(tools, intake, { address: source, ...target }, alsoRecord));
  try {
    const limitBytes = cutOffBytes(tools, null);
    const fetched = await fetchFile(tools.config, source, { name: name ?? null, limitBytes });
    const staged = await tools.store.stage(fetched.stream, { limitBytes });
    const received = await receiveStaged(tools, { name: fetched.name, ...target }, staged);
    const [taken] = await takeIn(tools, intake, [received], alsoRecord);
    if (!taken) throw new Error('Expected a verdict of the file, got none');
    return await answerTaken(tools, taken);
  } catch (failure) {
    if (!(failure instanceof FetchFailure)) throw failure;
    const shown = name ?? (source.startsWith('data:') ? 'the data URI' : source.slice(0, 200));
    throw refusal(
      await refuseFile(tools, intake, shown, {
        code: 'address-failed',
        message: `${shown} was not fetched: ${failure.message}.`,
      }),
    );
  }
}

import type { AssetTexts } from '@uniferum/core';
import Joi from 'joi';
import type { Principal } from '../access/principal.js';
import type { App } from '../app.js';
import { UniferumError } from '../shared/errors.js';
import { FetchFailure } from '../shared/outgoing.js';
import type { Answer } from '../shared/route.js';
import { folderPathSchema } from '../shared/schemas.js';
import { openIntake, refusal } from './batches.js';
import { fetchFile } from './fetch-file.js';
import { takeLinkIn } from './links.js';
import { receiveStaged, refuseFile, takeIn } from './take-in.js';
import { answerTaken } from './upload.js';

interface SourceBody extends Partial<AssetTexts> {
  source: string;
  folder: string;
  name?: string | null;
  as: 'file' | 'link';
}

const text = (max: number) => Joi.string().trim().max(max).allow(null, '');

/** The body of `POST /assets` as JSON: one file by its address. */
export const sourceSchema = Joi.object({
  source: Joi.string()
    .trim()
    .min(1)
    .max(4_000_000)
    .required()
    .description('an http(s) address or a data URI'),
  folder: folderPathSchema.default('/'),
  name: Joi.string().trim().max(500).allow(null).default(null),
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

/** Takes one file in by its address, while the caller waits. */
export async function answerSource(app: App, who: Principal, input: unknown): Promise<Answer> {
  const { value, error } = sourceSchema.validate(input, { abortEarly: false });
  if (error)
    throw new UniferumError('malformed-request', `${error.message}.`, {
      errors: error.details.map(({ path, type, message }) => ({
        field: path.join('.'),
        code: type,
        message,
      })),
    });
  const { source, folder, name, as, ...sent } = value as SourceBody;
  const texts = Object.fromEntries(Object.entries(sent).filter(([, one]) => one !== '' && one !== null));
  const intake = await openIntake(app, who, { way: as === 'link' ? 'link' : 'address', folder });
  if (as === 'link')
    return answerTaken(app, await takeLinkIn(app, intake, { address: source, folder, texts }));
  try {
    const limitBytes = app.config.maxUploadBytes;
    const fetched = await fetchFile(app.config, source, { name: name ?? null, limitBytes });
    const staged = await app.store.stage(fetched.stream, { limitBytes });
    const received = await receiveStaged(app, { name: fetched.name, folder, texts }, staged);
    const [taken] = await takeIn(app, intake, [received]);
    if (!taken) throw new Error('Expected a verdict of the file, got none');
    return await answerTaken(app, taken);
  } catch (failure) {
    if (!(failure instanceof FetchFailure)) throw failure;
    const shown = name ?? (source.startsWith('data:') ? 'the data URI' : source.slice(0, 200));
    throw refusal(
      await refuseFile(app, intake, shown, {
        code: 'address-failed',
        message: `${shown} was not fetched: ${failure.message}.`,
      }),
    );
  }
}

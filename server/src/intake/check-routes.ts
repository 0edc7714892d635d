import { judgeBatch, limitByToken } from '@uniferum/core/rules';
import Joi from 'joi';
import { readTokenItems } from '../access/token-queries.js';
import { findFolderByPath } from '../library/folder-queries.js';
import { effectiveRules } from '../rules/service.js';
import { type Executor, inTransaction } from '../shared/database.js';
import { notFound } from '../shared/errors.js';
import { API_BASE, type Route, route } from '../shared/route.js';
import { answer, folderPathSchema, idSchema, verdictSchema } from '../shared/schemas.js';
import { ownsIntake } from './queries.js';
import { recordVerdicts } from './settle.js';
import { tokenOf, type UploadToken } from './tools.js';

interface CheckBody {
  folder: string;
  files: { name: string; bytes: number; mime?: string | null }[];
}

const body = Joi.object({
  folder: folderPathSchema.required(),
  files: Joi.array()
    .items(
      Joi.object({
        name: Joi.string().min(1).max(500).required(),
        bytes: Joi.number().integer().min(0).required(),
        mime: Joi.string().max(100).allow(null),
      }),
    )
    .min(1)
    .max(10_000)
    .required(),
}).example({
  folder: '/lights',
  files: [{ name: 'dusk.jpg', bytes: 2_400_000, mime: 'image/jpeg' }],
});

const answers = {
  200: {
    description: 'A verdict for each file, in their order',
    schema: answer({ verdicts: Joi.array().items(verdictSchema) }),
  },
};

const MAX_BODY_BYTES = 4_000_000;

/** Checks name and size before any bytes are sent. */
export const checkRoutes: Route[] = [
  route<object, object, CheckBody>({
    method: 'post',
    path: `${API_BASE}/intake/check`,
    access: 'library:read',
    summary: 'Check files by name and size before uploading them; nothing is stored',
    tokenFolder: ({ body }) => body.folder,
    maxBodyBytes: MAX_BODY_BYTES,
    body,
    answers,
    async handle({ services, who, body }) {
      return { status: 200, body: { verdicts: await judgeBefore(services.db, body, tokenOf(who)) } };
    },
  }),
  route<{ id: string }, object, CheckBody>({
    method: 'post',
    path: `${API_BASE}/intakes/{id}/check`,
    access: 'library:write',
    summary: 'Check files before uploading them, and record the refused ones in the intake',
    params: Joi.object({ id: idSchema.required() }),
    maxBodyBytes: MAX_BODY_BYTES,
    body,
    answers,
    async handle({ services: { db }, who, params: { id }, body }) {
      if (!(await ownsIntake(db, id, who.ref))) throw notFound(`An intake ${id} of yours`);
      const verdicts = await judgeBefore(db, body, null);
      const refused = verdicts.flatMap((verdict, n) =>
        verdict.outcome === 'refused' ? [{ verdict, assetId: null, bytes: body.files[n]?.bytes ?? 0 }] : [],
      );
      if (refused.length > 0)
        await inTransaction(db, (tx) => recordVerdicts(tx, { id, by: who.name }, refused));
      return { status: 200, body: { verdicts } };
    },
  }),
];

async function judgeBefore(db: Executor, { folder, files }: CheckBody, token: UploadToken | null) {
  const stored = await findFolderByPath(db, folder);
  // A browser guesses the type from the name; an empty one carries no information.
  const facts = files.map(({ name, bytes, mime }) => ({ name, bytes, mime: mime || null }));
  const rules = await effectiveRules(db, folder);
  const verdicts = judgeBatch(facts, rules, { path: folder, items: stored?.items ?? 0 });
  return token === null ? verdicts : limitByToken(verdicts, facts, token, await readTokenItems(db, token.id));
}

import { type BulkChange, PLAIN_TEXTS } from '@uniferum/core/library';
import Joi from 'joi';
import { answerRun } from '../runs/answer.js';
import { runSchema } from '../runs/schemas.js';
import { UniferumError } from '../shared/errors.js';
import { API_BASE, type Route, route } from '../shared/route.js';
import { answer, folderPathSchema, idSchema } from '../shared/schemas.js';
import { searchSchemas } from './asset-schemas.js';
import { listSelected, rehearseBin, rehearseBulkEdit, type Selection } from './bulk.js';
import { BULK_ACTIONS, type BulkAction, beginBulkAction, beginBulkEdit } from './bulk-runs.js';
import type { Joints } from './joints.js';

const count = Joi.number().integer().min(0);
const rehearsable = Joi.object({ rehearse: Joi.boolean().default(false) });

const text = (max: number) => Joi.string().max(max);
const texts = { title: text(500), alt: text(5000), caption: text(5000), credit: text(500) };
const words = Joi.array().items(Joi.string().trim().min(1).max(100)).max(200);

const changeSchema = Joi.object({
  set: Joi.object({
    ...Object.fromEntries(Object.entries(texts).map(([key, schema]) => [key, schema.allow(null, '')])),
    keywords: words,
  }).description('replaces; null empties'),
  append: Joi.object({ ...texts, keywords: words }).description('adds at the end, once'),
  fill: Joi.object({ ...texts, keywords: words }).description(
    'fills only the empty ones; a pattern may hold {words}, {stem}, {name}, {folder}, {title}, {year}',
  ),
  removeKeywords: words,
  replace: Joi.array()
    .items(
      Joi.object({
        field: Joi.string()
          .valid(...PLAIN_TEXTS, 'keywords')
          .required(),
        find: Joi.string().min(1).max(500).required(),
        with: Joi.string().max(500).allow('').required(),
      }),
    )
    .max(20),
  shiftMinutes: Joi.number().integer().min(-1_000_000).max(1_000_000).description('moves capture dates'),
  folder: folderPathSchema.description('moves them there'),
})
  .min(1)
  .example({ fill: { alt: '{words}' } });

const selectSchema = Joi.alternatives(
  Joi.object({ ids: Joi.array().items(idSchema).min(1).max(100_000).required() }),
  Joi.object({
    ...searchSchemas,
  }),
).required();

interface BulkBody {
  select: Selection;
  change?: BulkChange;
  action?: BulkAction;
  force: boolean;
}

const editLine = answer({
  asset: idSchema,
  name: Joi.string(),
  folder: Joi.string(),
  before: Joi.object().unknown(),
  after: Joi.object().unknown(),
});

const NOTHING = { hasOne: 0, noDate: 0, dateLimit: 0, same: 0 };

/** The routes of bulk jobs. */
export function bulkRoutes(joints: Joints): Route[] {
  return [
    route<object, { rehearse: boolean }, BulkBody>({
      method: 'post',
      path: `${API_BASE}/assets/bulk`,
      access: 'library:write',
      summary: 'Edit, move or delete all selected assets in a run that can be undone',
      query: rehearsable,
      body: Joi.object({
        select: selectSchema,
        change: changeSchema,
        action: Joi.string().valid(...BULK_ACTIONS),
        force: Joi.boolean().default(false).description('with `bin`: also what pages use, which breaks them'),
      })
        .xor('change', 'action')
        .example({ select: { q: 'alt:none', folder: '/lights' }, change: { fill: { alt: '{words}' } } }),
      answers: {
        200: {
          description: 'The rehearsal: the first 200 changes, and counts of all',
          schema: answer({
            plan: answer({
              items: Joi.array().items(editLine),
              blocked: Joi.array()
                .items(answer({ asset: idSchema, name: Joi.string(), message: Joi.string() }))
                .description('the first 200 that would be left as they are, and why'),
              totals: answer({
                selected: count,
                changed: count,
                hasOne: count,
                noDate: count,
                dateLimit: count,
                same: count,
                blocked: count,
              }),
            }),
          }),
        },
        202: { description: 'The run that does it', schema: answer({ run: runSchema }) },
      },
      maxBodyBytes: 2_500_000,
      async handle({ services, who, query, body: { select, change, action, force } }) {
        if (change)
          return query.rehearse
            ? { status: 200, body: { plan: await rehearseBulkEdit({ ...services, joints }, select, change) } }
            : answerRun(services, await beginBulkEdit({ ...services, joints }, who, select, change));
        if (!action) throw new UniferumError('malformed-request', 'Say what to do: a change or an action.');
        if (!who.rights.includes('library:delete'))
          throw new UniferumError('right-missing', `${who.name} has no right "library:delete".`);
        const ids = await listSelected({ ...services, joints }, select);
        const planAction = async () => {
          const isFree = force || action !== 'bin';
          const { blocked, totals } = isFree
            ? { blocked: [], totals: { selected: ids.length, blocked: 0 } }
            : await rehearseBin({ ...services, joints }, ids);
          return {
            items: [],
            blocked,
            totals: { ...NOTHING, ...totals, changed: totals.selected - totals.blocked },
          };
        };
        if (query.rehearse) return { status: 200, body: { plan: await planAction() } };
        return answerRun(services, await beginBulkAction(services.db, who, ids, { action, isForced: force }));
      },
    }),
  ];
}

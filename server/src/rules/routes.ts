import {
  DUPLICATE_RULES,
  type FolderRules,
  isTypePattern,
  NO_RULES,
  REQUIRABLE_TEXTS,
} from '@uniferum/core/rules';
import Joi from 'joi';
import { API_BASE, type Route, route } from '../shared/route.js';
import { answer, component, idSchema, verdictSchema } from '../shared/schemas.js';
import { rehearseRules } from './rehearse.js';
import { putRules, readRules } from './service.js';

const typePattern = Joi.string()
  .lowercase()
  .custom((value: string, helpers) =>
    isTypePattern(value)
      ? value
      : helpers.message({
          custom: '{{#label}} is neither an extension (jpg) nor a media type (image/jpeg, image/*)',
        }),
  );

const limit = Joi.number().integer().min(0).allow(null);

const ruleFields = {
  maxBytes: limit.min(1).description('the largest file, in bytes'),
  maxItems: limit.description('how many items may lie directly in the folder'),
  allow: Joi.array().items(typePattern).unique().max(200),
  deny: Joi.array().items(typePattern).unique().max(200),
  minWidth: limit,
  minHeight: limit,
  maxPixels: limit,
  requireTexts: Joi.array()
    .items(Joi.string().valid(...REQUIRABLE_TEXTS))
    .unique(),
  duplicates: Joi.string()
    .valid(...DUPLICATE_RULES)
    .allow(null),
  check: Joi.object({
    url: Joi.string()
      .uri({ scheme: ['http', 'https'] })
      .max(1000)
      .required(),
    timeoutMs: Joi.number().integer().min(100).max(30_000).default(5000),
    onFailure: Joi.string().valid('accept', 'refuse').default('refuse'),
  })
    .allow(null)
    .description('an address that is asked about each file, by a signed request (Standard Webhooks)'),
  inherit: Joi.boolean().description('false drops limits and allowances from above; denials always hold'),
};

const withDefaults = Joi.object(
  Object.fromEntries(
    Object.entries(ruleFields).map(([key, schema]) => [
      key,
      (schema as Joi.AnySchema).default(NO_RULES[key as keyof FolderRules]),
    ]),
  ),
).example({ maxBytes: 5_000_000, allow: ['jpg', 'png'] });

export const rulesSchema = component('Rules', answer(ruleFields));

const effective = (value: Joi.Schema) =>
  answer({ value, from: Joi.string().description('the path of the folder that it comes from') });
const effectiveNumber = effective(Joi.number()).allow(null);

export const effectiveRulesSchema = component(
  'EffectiveRules',
  answer({
    maxBytes: effectiveNumber,
    maxItems: effectiveNumber,
    allow: effective(Joi.array().items(Joi.string())).allow(null),
    deny: Joi.array().items(effective(Joi.string())),
    minWidth: effectiveNumber,
    minHeight: effectiveNumber,
    maxPixels: effectiveNumber,
    requireTexts: Joi.array().items(effective(Joi.string())),
    duplicates: effective(Joi.string()).allow(null),
    check: effective(Joi.object().unknown()).allow(null),
  }),
);

const answerSchema = component('RulesAnswer', answer({ own: rulesSchema, effective: effectiveRulesSchema }));
const planSchema = answer({
  plan: answer({
    items: Joi.array().items(
      answer({ asset: idSchema, name: Joi.string(), folder: Joi.string(), verdict: verdictSchema }),
    ),
    totals: answer({
      present: Joi.number().integer(),
      outside: Joi.number().integer().description('existing files that the new rules would refuse'),
      outsideNow: Joi.number().integer().description('those that the rules of now would refuse'),
      byCode: Joi.object().pattern(Joi.string(), Joi.number().integer()),
    }),
  }),
});
const params = Joi.object({ id: idSchema.required() });

export const rulesRoutes: Route[] = [
  route<{ id: string }>({
    method: 'get',
    path: `${API_BASE}/folders/{id}/rules`,
    access: 'library:read',
    summary: 'Get the rules of a folder, own and inherited',
    params,
    answers: { 200: { description: 'The rules', schema: answerSchema } },
    async handle({ services, params: { id } }) {
      const { rules, etag } = await readRules(services.db, id);
      return { status: 200, body: rules, headers: { ETag: etag } };
    },
  }),
  route<{ id: string }, { rehearse: boolean }, FolderRules>({
    method: 'put',
    path: `${API_BASE}/folders/{id}/rules`,
    access: 'rules:write',
    summary: 'Replace the rules of a folder; a rehearsal counts the existing files that would break them',
    params,
    query: Joi.object({ rehearse: Joi.boolean().default(false) }),
    body: withDefaults,
    answers: {
      200: {
        description: 'The rules as they hold now, or the rehearsal',
        schema: Joi.alternatives(answerSchema, planSchema),
      },
    },
    async handle({ services, who, params: { id }, query, body, req }) {
      if (query.rehearse) return { status: 200, body: { plan: await rehearseRules(services.db, id, body) } };
      await putRules(services.db, id, body, { by: who.name, ifMatch: req.get('if-match') });
      const { rules, etag } = await readRules(services.db, id);
      return { status: 200, body: rules, headers: { ETag: etag } };
    },
  }),
];

import { type AddressPair, type AddressRules, readAddressPairs } from '@uniferum/core/pages';
import Joi from 'joi';
import type { Inspector } from '../inspection/inspector.js';
import { answerRun } from '../runs/answer.js';
import { runSchema } from '../runs/schemas.js';
import { UniferumError } from '../shared/errors.js';
import { API_BASE, type Route, route } from '../shared/route.js';
import { answer, idSchema } from '../shared/schemas.js';
import { type FixBody, planFixes } from './plan-fixes.js';
import { beginRewrite, rehearseRewrite } from './rewrite.js';

interface RewriteBody {
  sources: string[];
  map: AddressPair[];
  prefixes: AddressPair[];
  csv?: string;
}

const count = Joi.number().integer().min(0);
const address = Joi.string().trim().min(1).max(2000);
const pairs = Joi.array().items(Joi.object({ from: address.required(), to: address.required() }));

const bodySchema = Joi.object({
  sources: Joi.array().items(idSchema).unique().min(1).max(100).required(),
  map: pairs.max(100_000).default([]).description('each old address with its new one'),
  prefixes: pairs.max(1000).default([]).description('all addresses below one with those below another'),
  csv: Joi.string().max(50_000_000).description('two columns, old and new address, added to the map'),
}).example({ sources: ['1'], map: [{ from: '/files/dusk.jpg', to: '/media/lights/dusk.jpg' }] });

const planSchema = answer({
  plan: answer({
    items: Joi.array().items(
      answer({
        source: idSchema,
        document: Joi.string(),
        edits: count,
        diff: Joi.array().items(
          answer({
            line: count,
            lead: Joi.string().allow(''),
            before: Joi.string(),
            after: Joi.string(),
            trail: Joi.string().allow(''),
          }),
        ),
      }),
    ),
    totals: answer({ documents: count, edits: count, unreadable: count }),
  }),
});

/** @throws UniferumError `malformed-request` that names each row that is no pair */
function readCsv(csv: string | undefined): AddressPair[] {
  if (csv === undefined) return [];
  const { pairs, faults } = readAddressPairs(csv);
  if (faults.length === 0) return pairs;
  const named = faults.slice(0, 20).map(({ row, message }) => `row ${row}: ${message}`);
  throw new UniferumError(
    'malformed-request',
    `The CSV has faults; nothing is replaced. ${named.join('; ')}.`,
  );
}

export function rewriteRoutes(inspector: Inspector): Route[] {
  return [
    route<object, { rehearse: boolean }, FixBody>({
      method: 'post',
      path: `${API_BASE}/references/fix`,
      access: 'pages:write',
      summary:
        'Replace broken references by what is proposed for each, in writable sources; it can be undone',
      query: Joi.object({ rehearse: Joi.boolean().default(false) }),
      body: Joi.object({
        ids: Joi.array().items(idSchema).unique().min(1).max(10_000),
        all: Joi.boolean().valid(true).description('all of them, or all of one source'),
        source: idSchema,
      })
        .xor('ids', 'all')
        .without('ids', 'source')
        .example({ ids: ['7'] }),
      answers: {
        200: { description: 'The rehearsal: every document that would change', schema: planSchema },
        202: { description: 'The run that does it', schema: answer({ run: runSchema }) },
      },
      async handle({ services, who, query: { rehearse }, body }) {
        const { sources, pairs } = await planFixes(services, body);
        if (rehearse)
          return {
            status: 200,
            body: { plan: await rehearseRewrite({ ...services, inspector }, sources, { pairs }) },
          };
        const run = await beginRewrite(services.db, sources, { rules: { pairs }, by: who.name });
        return answerRun(services, run);
      },
    }),
    route<object, { rehearse: boolean }, RewriteBody>({
      method: 'post',
      path: `${API_BASE}/rewrites`,
      access: 'pages:write',
      summary: 'Replace addresses in the documents of writable sources; every edit can be undone',
      query: Joi.object({ rehearse: Joi.boolean().default(false) }),
      body: bodySchema,
      answers: {
        200: { description: 'The rehearsal: every document that would change', schema: planSchema },
        202: { description: 'The run that does it', schema: answer({ run: runSchema }) },
      },
      async handle({ services, who, query: { rehearse }, body: { sources, map, prefixes, csv } }) {
        const pairs = [...map, ...readCsv(csv)];
        if (pairs.length + prefixes.length === 0)
          throw new UniferumError('malformed-request', 'Say what to replace: a map, a CSV or prefixes.');
        const rules: AddressRules = { pairs, prefixes };
        if (rehearse)
          return {
            status: 200,
            body: { plan: await rehearseRewrite({ ...services, inspector }, sources, rules) },
          };
        const run = await beginRewrite(services.db, sources, { rules, by: who.name });
        return answerRun(services, run);
      },
    }),
  ];
}

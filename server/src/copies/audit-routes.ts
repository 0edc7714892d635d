import { AUDIT_MODES, AUDIT_REASONS, type AuditMode, type AuditReason } from '@uniferum/core/copies';
import Joi from 'joi';
import { rehearsable, runAnswer } from '../recipes/rendition-schemas.js';
import { answerRun } from '../runs/answer.js';
import { cutPage, readCursor } from '../shared/cursor.js';
import { type Executor, isoTime, isoTimeOrNull } from '../shared/database.js';
import { API_BASE, type Route, route } from '../shared/route.js';
import { answer, component, idSchema, pagingSchemas, timeSchema } from '../shared/schemas.js';
import type { Services } from '../shared/services.js';
import { beginAudit } from './audit.js';
import { countFindings, listFindings } from './audit-queries.js';
import type { ToolsFor } from './copy-routes.js';
import { findHomeAudited } from './cursor-queries.js';
import { beginRepair, DEFAULT_REASONS, describeFinding, rehearseRepair } from './repair.js';
import { storeIdSchema } from './schemas.js';
import { requireStore } from './store-routes.js';

interface Id {
  id: string;
}
const params = Joi.object({ id: storeIdSchema.required() });
const count = Joi.number().integer().min(0);
const reason = Joi.string().valid(...AUDIT_REASONS);
const assetSchema = answer({ id: idSchema, name: Joi.string() }).allow(null);

const auditSchema = component(
  'Audit',
  answer({
    items: Joi.array().items(
      answer({
        id: idSchema,
        key: Joi.string(),
        reason,
        asset: assetSchema,
        bytes: count.allow(null),
        foundAt: timeSchema,
      }),
    ),
    total: count,
    next: Joi.string().allow(null),
    auditedAt: timeSchema.allow(null),
    reasons: answer(Object.fromEntries(AUDIT_REASONS.map((name) => [name, count]))),
  }),
);

const repairPlanSchema = answer({
  plan: answer({
    items: Joi.array().items(
      answer({
        key: Joi.string(),
        reason,
        asset: assetSchema,
        action: Joi.string().valid('store', 'delete', 'nothing'),
      }),
    ),
    totals: answer({ store: count, delete: count, nothing: count }),
  }),
});

/** The store of an address: 0 is the home store. */
async function storeOf({ db, store }: Pick<Services, 'db' | 'store'>, id: string) {
  if (id === 'home') return { id: 0, name: store.name, auditedAt: await findHomeAudited(db) };
  return requireStore(db, id);
}

/** Audits of stores, and repairs of what they find. */
export function auditRoutes(toolsFor: ToolsFor): Route[] {
  return [
    route<Id, object, { mode: AuditMode }>({
      method: 'post',
      path: `${API_BASE}/stores/{id}/audit`,
      access: 'connections:write',
      summary:
        'Compare a store with the library: by listing, reading a sample as well, or reading everything',
      params,
      body: Joi.object({
        mode: Joi.string()
          .valid(...AUDIT_MODES)
          .default('list'),
      }).example({ mode: 'sample' }),
      answers: { 202: runAnswer },
      async handle({ services, who, params: { id }, body: { mode } }) {
        const store = await storeOf(services, id);
        return answerRun(services, await beginAudit(services.db, store, mode, who.name));
      },
    }),
    route<Id, { limit: number; cursor?: string; reason?: AuditReason }>({
      method: 'get',
      path: `${API_BASE}/stores/{id}/audit`,
      access: 'connections:read',
      summary: 'List what the latest audit of a store found and nobody has repaired yet',
      params,
      query: Joi.object({ ...pagingSchemas, reason }),
      answers: { 200: { description: 'The findings', schema: auditSchema } },
      async handle({ services, params: { id }, query }) {
        return { status: 200, body: await readFindings(services, id, query) };
      },
    }),
    route<Id, { rehearse: boolean }, { reasons: AuditReason[] }>({
      method: 'post',
      path: `${API_BASE}/stores/{id}/repair`,
      access: 'connections:write',
      summary:
        'Store missing and damaged copies again from good ones; surplus is deleted only when it is named',
      params,
      query: rehearsable,
      body: Joi.object({
        reasons: Joi.array()
          .items(reason)
          .unique()
          .min(1)
          .default([...DEFAULT_REASONS]),
      }).example({ reasons: ['missing', 'damaged'] }),
      answers: { 200: { description: 'What would be done', schema: repairPlanSchema }, 202: runAnswer },
      async handle({ services, who, params: { id }, query, body: { reasons } }) {
        const store = await storeOf(services, id);
        if (query.rehearse)
          return {
            status: 200,
            body: { plan: await rehearseRepair(toolsFor(services), { store, reasons }) },
          };
        return answerRun(services, await beginRepair(services.db, { store, reasons }, who.name));
      },
    }),
  ];
}

async function readFindings(
  services: Services,
  id: string,
  { limit, cursor, reason: only }: { limit: number; cursor?: string; reason?: AuditReason },
) {
  const store = await storeOf(services, id);
  const reasons = await countReasons(services.db, store.id);
  const after = cursor === undefined ? 0 : Number(readCursor(cursor, 1)[0]);
  const found = await listFindings(services.db, store.id, {
    ...{ after, limit: limit + 1 },
    reasons: only ? [only] : undefined,
  });
  const { rows, next } = cutPage(found, limit, ({ id: last }) => [last]);
  return {
    items: rows.map((row) => ({
      ...{ id: String(row.id), ...describeFinding(row), bytes: row.bytes },
      foundAt: isoTime(row.found_at),
    })),
    total: only ? reasons[only] : Object.values(reasons).reduce((sum, n) => sum + n, 0),
    next,
    auditedAt: isoTimeOrNull(store.auditedAt),
    reasons,
  };
}

async function countReasons(db: Executor, storeId: number): Promise<Record<AuditReason, number>> {
  const counts: Record<AuditReason, number> = { missing: 0, surplus: 0, size: 0, damaged: 0 };
  for (const { reason: found, n } of await countFindings(db, storeId)) counts[found] = Number(n);
  return counts;
}

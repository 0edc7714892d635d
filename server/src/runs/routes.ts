import { ITEM_STATES, type ItemState, RUN_STATES, type RunState } from '@uniferum/core/runs';
import Joi from 'joi';
import { cutPage, readCursor } from '../shared/cursor.js';
import type { Database } from '../shared/database.js';
import { notFound } from '../shared/errors.js';
import { API_BASE, type Route, type RouteContext, route } from '../shared/route.js';
import { answer, idSchema, pageOf, pagingSchemas } from '../shared/schemas.js';
import { answerRun as answerBegun } from './answer.js';
import { countItems, listItems } from './item-queries.js';
import { databaseNow } from './lease-queries.js';
import { resumeRun, retryRun, stopRun } from './ledger.js';
import { countRuns, findRun, listRuns, type RunRow, toRunAnswer } from './queries.js';
import type { AnyRunKind } from './run-kind.js';
import { itemSchema, runSchema } from './schemas.js';
import { beginUndo } from './undo.js';

const params = Joi.object({ id: idSchema.required() });

interface ListQuery<State> {
  limit: number;
  cursor?: string;
  state?: State;
}

/** @param kinds every run kind, some of which can be undone */
export function runRoutes(kinds: readonly AnyRunKind[]): Route[] {
  return [
    route<object, ListQuery<RunState>>({
      method: 'get',
      path: `${API_BASE}/runs`,
      access: 'runs:read',
      summary: 'List runs, newest first',
      query: Joi.object({ ...pagingSchemas, state: Joi.string().valid(...RUN_STATES) }),
      answers: { 200: { description: 'A page of runs', schema: pageOf(runSchema) } },
      async handle({ services, query: { limit, cursor, state } }) {
        const before = cursor === undefined ? null : Number(readCursor(cursor, 1)[0]);
        const page = cutPage(await listRuns(services.db, { limit, before, state }), limit, ({ id }) => [id]);
        const nowMs = (await databaseNow(services.db)).getTime();
        const total = await countRuns(services.db, state === undefined ? null : [state]);
        return {
          status: 200,
          body: { items: page.rows.map((row) => toRunAnswer(row, nowMs)), total, next: page.next },
        };
      },
    }),
    route<{ id: string }>({
      method: 'get',
      path: `${API_BASE}/runs/{id}`,
      access: 'runs:read',
      summary: 'Get a run with its progress',
      params,
      answers: { 200: { description: 'The run', schema: runSchema } },
      async handle({ services, params: { id } }) {
        return answerRun(services.db, await readRun(services.db, id));
      },
    }),
    route<{ id: string }, ListQuery<ItemState>>({
      method: 'get',
      path: `${API_BASE}/runs/{id}/items`,
      access: 'runs:read',
      summary: 'List the items of a run',
      params,
      query: Joi.object({ ...pagingSchemas, state: Joi.string().valid(...ITEM_STATES) }),
      answers: { 200: { description: 'A page of items', schema: pageOf(itemSchema) } },
      async handle({ services, params: { id }, query: { limit, cursor, state } }) {
        const run = await readRun(services.db, id);
        const after = cursor === undefined ? 0 : Number(readCursor(cursor, 1)[0]);
        const page = cutPage(await listItems(services.db, run, { limit, after, state }), limit, (item) => [
          Number(item.id),
        ]);
        return {
          status: 200,
          body: { items: page.rows, total: await countItems(services.db, run, state), next: page.next },
        };
      },
    }),
    steeringRoute('stop', 'Stop a run', stopRun),
    steeringRoute('resume', 'Resume a stopped run', resumeRun),
    steeringRoute('retry', 'Retry the failed items of a run', retryRun),
    route<{ id: string }>({
      method: 'post',
      path: `${API_BASE}/runs/{id}/undo`,
      access: 'library:write',
      summary: 'Undo a bulk job; values that were changed again since are kept',
      params,
      answers: { 202: { description: 'The run that takes it back', schema: answer({ run: runSchema }) } },
      handle: async ({ services, who, params: { id } }) =>
        answerBegun(services, await beginUndo(services.db, kinds, id, who.name)),
    }),
  ];
}

function steeringRoute(
  verb: string,
  summary: string,
  steer: (db: Database, id: string, by: string) => Promise<RunRow>,
): Route {
  return route<{ id: string }>({
    method: 'post',
    path: `${API_BASE}/runs/{id}/${verb}`,
    access: 'runs:write',
    summary,
    params,
    answers: { 200: { description: 'The run as it is now', schema: runSchema } },
    async handle({ services, who, params: { id } }: RouteContext<{ id: string }, object, undefined>) {
      return answerRun(services.db, await steer(services.db, id, who.name));
    },
  });
}

async function readRun(db: Database, id: string): Promise<RunRow> {
  const run = await findRun(db, id);
  if (run === null) throw notFound(`Run ${id}`);
  return run;
}

async function answerRun(db: Database, run: RunRow) {
  return { status: 200, body: toRunAnswer(run, (await databaseNow(db)).getTime()) };
}

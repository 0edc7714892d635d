import { ITEM_STATES, type ItemState, RUN_STATES, type RunState } from '@uniferum/core';
import Joi from 'joi';
import { cutPage, readCursor } from '../shared/cursor.js';
import type { Database } from '../shared/database.js';
import { notFound } from '../shared/errors.js';
import { API_BASE, type Route, type RouteContext, route } from '../shared/route.js';
import { answer, component, idSchema, pageOf, pagingSchemas, timeSchema } from '../shared/schemas.js';
import { databaseNow } from './lease-queries.js';
import { resumeRun, retryRun, stopRun } from './ledger.js';
import { countItems, countRuns, findRun, listItems, listRuns, type RunRow, toRunAnswer } from './queries.js';

const bytesSchema = answer({
  before: Joi.number().integer(),
  after: Joi.number().integer(),
}).description('what the files that it touched took up before, and take up now');

export const runSchema = component(
  'Run',
  answer({
    id: idSchema,
    kind: Joi.string(),
    title: Joi.string(),
    state: Joi.string().valid(...RUN_STATES),
    total: Joi.number().integer(),
    done: Joi.number().integer(),
    failed: Joi.number().integer(),
    skipped: Joi.number().integer(),
    createdAt: timeSchema,
    canUndo: Joi.boolean().description('whether what it changed can be taken back'),
    undoOf: idSchema.allow(null),
    startedAt: timeSchema.allow(null),
    finishedAt: timeSchema.allow(null),
    rate: Joi.number().allow(null).description('items per second'),
    secondsLeft: Joi.number().integer().allow(null),
    bytes: bytesSchema.allow(null),
  }),
);

const itemSchema = component(
  'RunItem',
  answer({
    id: idSchema,
    title: Joi.string(),
    state: Joi.string().valid(...ITEM_STATES),
    attempts: Joi.number().integer(),
    note: Joi.string().allow(null),
    error: Joi.string().allow(null),
    bytes: bytesSchema.allow(null),
    startedAt: timeSchema.allow(null),
    finishedAt: timeSchema.allow(null),
  }),
);

const params = Joi.object({ id: idSchema.required() });

interface ListQuery<State> {
  limit: number;
  cursor?: string;
  state?: State;
}

export const runRoutes: Route[] = [
  route<object, ListQuery<RunState>>({
    method: 'get',
    path: `${API_BASE}/runs`,
    access: 'runs:read',
    summary: 'List runs, newest first',
    query: Joi.object({ ...pagingSchemas, state: Joi.string().valid(...RUN_STATES) }),
    answers: { 200: { description: 'A page of runs', schema: pageOf(runSchema) } },
    async handle({ app, query: { limit, cursor, state } }) {
      const before = cursor === undefined ? null : Number(readCursor(cursor, 1)[0]);
      const page = cutPage(await listRuns(app.db, { limit, before, state }), limit, ({ id }) => [id]);
      const nowMs = (await databaseNow(app.db)).getTime();
      const total = await countRuns(app.db, state === undefined ? null : [state]);
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
    summary: 'One run with its progress',
    params,
    answers: { 200: { description: 'The run', schema: runSchema } },
    async handle({ app, params: { id } }) {
      return answerRun(app.db, await readRun(app.db, id));
    },
  }),
  route<{ id: string }, ListQuery<ItemState>>({
    method: 'get',
    path: `${API_BASE}/runs/{id}/items`,
    access: 'runs:read',
    summary: "A run's items in their order",
    params,
    query: Joi.object({ ...pagingSchemas, state: Joi.string().valid(...ITEM_STATES) }),
    answers: { 200: { description: 'A page of items', schema: pageOf(itemSchema) } },
    async handle({ app, params: { id }, query: { limit, cursor, state } }) {
      const run = await readRun(app.db, id);
      const after = cursor === undefined ? 0 : Number(readCursor(cursor, 1)[0]);
      const page = cutPage(await listItems(app.db, run, { limit, after, state }), limit, (item) => [
        Number(item.id),
      ]);
      return {
        status: 200,
        body: { items: page.rows, total: await countItems(app.db, run, state), next: page.next },
      };
    },
  }),
  steeringRoute('stop', 'Stop a run; it can be resumed', stopRun),
  steeringRoute('resume', 'Go on with a stopped run', resumeRun),
  steeringRoute('retry', 'Try the failed items of a run again', retryRun),
];

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
    async handle({ app, who, params: { id } }: RouteContext<{ id: string }, object, undefined>) {
      return answerRun(app.db, await steer(app.db, id, who.name));
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

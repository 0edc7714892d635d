import Joi from 'joi';
import { notFound } from '../shared/errors.js';
import { API_BASE, type Route, route } from '../shared/route.js';
import { answer, idSchema, timeSchema } from '../shared/schemas.js';
import { retryFailures } from './ledger.js';
import { listFailures, readWorkers } from './worker-queries.js';

const count = Joi.number().integer().min(0);

const workersSchema = answer({
  workers: Joi.array().items(
    answer({
      id: Joi.string(),
      host: Joi.string().allow(''),
      pid: count,
      slots: count.description('how many items it works on at a time'),
      startedAt: timeSchema,
      seenAt: timeSchema,
      isAlive: Joi.boolean(),
      items: Joi.array().items(
        answer({ run: idSchema, title: Joi.string().allow(''), kind: Joi.string(), since: timeSchema }),
      ),
      done: count.description('items of the last hour'),
      failed: count,
      busy: Joi.number().min(0).max(1),
    }),
  ),
  throughput: Joi.array().items(answer({ at: timeSchema, done: count, failed: count })),
  queue: Joi.array().items(answer({ kind: Joi.string(), waiting: count, working: count })),
});

const failuresSchema = answer({
  items: Joi.array().items(
    answer({ reason: Joi.string(), kind: Joi.string(), count, example: Joi.string(), lastAt: timeSchema }),
  ),
  total: count,
});

export const workerRoutes: Route[] = [
  route<object, { minutes: number }>({
    method: 'get',
    path: `${API_BASE}/workers`,
    access: 'runs:read',
    summary: 'Get the workers, their items, throughput per minute and the queue',
    query: Joi.object({
      minutes: Joi.number()
        .integer()
        .min(5)
        .max(1440)
        .default(60)
        .description('how far the throughput goes back'),
    }),
    answers: { 200: { description: 'The workers', schema: workersSchema } },
    async handle({ services, query: { minutes } }) {
      return { status: 200, body: await readWorkers(services.db, minutes) };
    },
  }),
  route({
    method: 'get',
    path: `${API_BASE}/runs/failures`,
    access: 'runs:read',
    summary: 'List failed items of all runs, grouped by reason',
    answers: { 200: { description: 'The groups, the largest first', schema: failuresSchema } },
    async handle({ services }) {
      const items = await listFailures(services.db);
      return { status: 200, body: { items, total: items.reduce((sum, group) => sum + group.count, 0) } };
    },
  }),
  route<object, object, { reason: string; kind: string }>({
    method: 'post',
    path: `${API_BASE}/runs/failures/retry`,
    access: 'runs:write',
    summary: 'Retry all items that failed for a reason',
    body: Joi.object({
      reason: Joi.string().max(160).required().description('as in the list of failures'),
      kind: Joi.string()
        .pattern(/^[a-z][a-z-]{0,39}$/)
        .required(),
    }).example({ reason: "… can't be decoded: it is cut off", kind: 'renditions' }),
    answers: { 200: { description: 'How many wait again', schema: answer({ items: count, runs: count }) } },
    async handle({ services, who, body }) {
      const retried = await retryFailures(services.db, body, who.name);
      if (retried.items === 0) throw notFound(`A failure "${body.reason}"`);
      return { status: 200, body: retried };
    },
  }),
];

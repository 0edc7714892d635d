import { ITEM_STATES, RUN_STATES } from '@uniferum/core/runs';
import Joi from 'joi';
import { answer, component, idSchema, timeSchema } from '../shared/schemas.js';

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
    canUndo: Joi.boolean().description('whether its changes can be undone'),
    undoOf: idSchema.allow(null),
    startedAt: timeSchema.allow(null),
    finishedAt: timeSchema.allow(null),
    rate: Joi.number().allow(null).description('items per second'),
    secondsLeft: Joi.number().integer().allow(null),
    heldReason: Joi.string()
      .allow(null)
      .description('why it is on hold: what it runs on has a fault; it goes on by itself when that is gone'),
    bytes: bytesSchema.allow(null),
  }),
);

export const itemSchema = component(
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

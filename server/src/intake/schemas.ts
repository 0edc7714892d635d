import { INTAKE_WAYS } from '@uniferum/core/intake';
import Joi from 'joi';
import { answer, component, idSchema, timeSchema, verdictSchema } from '../shared/schemas.js';

export const intakeSchema = component(
  'Intake',
  answer({
    id: idSchema,
    folder: Joi.string(),
    by: Joi.string(),
    via: Joi.string().valid('console', 'api'),
    way: Joi.string().valid(...INTAKE_WAYS),
    label: Joi.string().allow(null).description('what was brought in: the name of an archive or manifest'),
    run: idSchema.allow(null).description('the run that works on it'),
    startedAt: timeSchema,
    updatedAt: timeSchema,
    accepted: Joi.number().integer(),
    warned: Joi.number().integer(),
    refused: Joi.number().integer(),
    bytes: Joi.number().integer(),
  }),
);

export const intakeFileSchema = component(
  'IntakeFile',
  answer({
    id: idSchema,
    verdict: verdictSchema,
    bytes: Joi.number().integer(),
    asset: answer({ id: idSchema, name: Joi.string(), url: Joi.string().uri() }).allow(null),
    at: timeSchema,
  }),
);

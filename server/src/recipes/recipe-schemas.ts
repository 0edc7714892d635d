import { KINDS } from '@uniferum/core/library';
import {
  ALTERNATIVE_FORMATS,
  MAX_RUNGS,
  MAX_STEPS,
  OUTPUT_FORMATS,
  RECIPE_NAME,
  RECIPE_TIMES,
  RENDITION_STATES,
} from '@uniferum/core/recipes';
import Joi from 'joi';
import { answer, component, folderPathSchema } from '../shared/schemas.js';

/** Core validates steps, and reports the faulty setting. */
export const stepSchema = component(
  'Step',
  Joi.object({ op: Joi.string().required() })
    .unknown()
    .description('one step with its settings; each kind is described at /api/v1/recipes/schema.json'),
);

/** Words used in the API's own paths. */
const RESERVED = ['export', 'import', 'matrix', 'preview', 'rebuild'];

export const nameSchema = Joi.string()
  .pattern(RECIPE_NAME)
  .invalid(...RESERVED)
  .description('lower-case letters, digits and hyphens; it stands in addresses');

const outputFields = {
  format: Joi.string().valid(...OUTPUT_FORMATS),
  quality: Joi.number().integer().min(1).max(100),
  maxBytes: Joi.number().integer().min(100).description('at most so many bytes; the quality is searched'),
  likeness: Joi.number()
    .min(0.5)
    .max(0.9999)
    .description('at least this structural similarity; the quality is searched'),
  metadata: Joi.string().valid('none', 'rights', 'all'),
  colour: Joi.string()
    .valid('srgb', 'keep')
    .description('sRGB, or the colours of the file with their profile, for screens that show more'),
  animation: Joi.string().valid('keep', 'first'),
  also: Joi.array()
    .items(Joi.string().valid(...ALTERNATIVE_FORMATS))
    .unique()
    .description('formats beside the main one'),
};

const STANDARD_OUTPUT = { format: 'keep', quality: 80, metadata: 'none' } as const;

export const outputSchema = Joi.object({
  ...outputFields,
  format: outputFields.format.default(STANDARD_OUTPUT.format),
  quality: outputFields.quality.default(STANDARD_OUTPUT.quality),
  metadata: outputFields.metadata.default(STANDARD_OUTPUT.metadata),
}).default(STANDARD_OUTPUT);

const width = Joi.number().integer().min(1).max(16_384);
export const ladderSchema = Joi.alternatives(
  Joi.object({ widths: Joi.array().items(width).unique().min(1).max(MAX_RUNGS).required() }),
  Joi.object({
    from: width.required().description('the smallest width'),
    stepBytes: Joi.number().integer().min(500).description('by how much neighbours differ'),
    most: Joi.number().integer().min(2).max(MAX_RUNGS),
  }),
).description('several widths of what the steps come to: given, or found from the picture');

export const stepsSchema = Joi.array().items(stepSchema).max(MAX_STEPS);

/** A recipe's settings as sent in a request. */
export const recipeInput = {
  title: Joi.string().trim().min(1).max(200).required(),
  kinds: Joi.array()
    .items(Joi.string().valid(...KINDS))
    .unique()
    .min(1)
    .default(['image']),
  folders: Joi.array().items(folderPathSchema).unique().default([]),
  when: Joi.string()
    .valid(...RECIPE_TIMES)
    .default('background'),
  steps: stepsSchema.required(),
  output: outputSchema,
  ladder: ladderSchema,
};

const portable = {
  name: nameSchema.required(),
  title: Joi.string().required(),
  kinds: Joi.array().items(Joi.string()).required(),
  folders: Joi.array().items(Joi.string()).required(),
  when: Joi.string()
    .valid(...RECIPE_TIMES)
    .required(),
  steps: Joi.array().items(stepSchema).required(),
  output: Joi.object({
    ...outputFields,
    format: outputFields.format.required(),
    quality: outputFields.quality.required(),
    metadata: outputFields.metadata.required(),
  }).required(),
  ladder: ladderSchema,
};

export const portableSchema = Joi.object(portable);

export const recipeSchema = component(
  'Recipe',
  Joi.object({
    ...portable,
    revision: Joi.number().integer().required(),
    renditions: answer(
      Object.fromEntries(RENDITION_STATES.map((state) => [state, Joi.number().integer()])),
    ).required(),
    bytes: Joi.number().integer().required(),
    sample: Joi.string().uri().allow(null).required().description('a picture that it made'),
  }),
);

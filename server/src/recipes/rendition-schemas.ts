import { RENDITION_STATES } from '@uniferum/core/recipes';
import Joi from 'joi';
import { searchSchemas } from '../library/asset-schemas.js';
import { runSchema } from '../runs/schemas.js';
import { answer, component, idSchema } from '../shared/schemas.js';

export const count = Joi.number().integer().min(0);
export const rehearsable = Joi.object({
  rehearse: Joi.boolean().default(false).description('list what would be done, and change nothing'),
});
/** The assets that a job applies to. */
export const selectSchema = Joi.alternatives(
  Joi.object({ ids: Joi.array().items(idSchema).min(1).max(100_000).required() }),
  Joi.object(searchSchemas),
).description('ids, or a filter within a folder');
export const stateSchema = Joi.string().valid(...RENDITION_STATES);
export const runAnswer = { description: 'The run that does it', schema: answer({ run: runSchema }) };
export const assetParams = Joi.object({ id: idSchema.required() });

export const renditionSchema = component(
  'Rendition',
  answer({
    recipe: Joi.string(),
    variant: Joi.string()
      .allow(null)
      .description("which of the recipe's further sizes and formats: 500w.webp; null for the main file"),
    state: Joi.string().valid(...RENDITION_STATES),
    url: Joi.string().uri().allow(null),
    versionedUrl: Joi.string()
      .uri()
      .allow(null)
      .description('an address at which these bytes may be cached for ever'),
    mime: Joi.string().allow(null),
    width: count.allow(null),
    height: count.allow(null),
    bytes: count.allow(null),
    error: Joi.string().allow(null),
  }),
);

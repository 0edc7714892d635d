import { parseFolderPath } from '@uniferum/core/library';
import Joi from 'joi';

/** Schemas that become components of the OpenAPI document, by their names there. */
const named = new Map<string, Joi.Schema>();

/** Gives a schema its name in the OpenAPI document. */
export function component<Schema extends Joi.Schema>(name: string, schema: Schema): Schema {
  named.set(name, schema);
  return schema;
}

/** All named schemas. */
export function components(): ReadonlyMap<string, Joi.Schema> {
  return named;
}

export const idSchema = Joi.string()
  .pattern(/^[1-9]\d{0,18}$/)
  .description('an opaque id');

export const timeSchema = Joi.string().isoDate().description('UTC, ISO 8601');

export const folderPathSchema = Joi.string()
  .max(700)
  .custom((value: string, helpers) => {
    const parsed = parseFolderPath(value);
    return parsed.ok
      ? parsed.path
      : helpers.message({ custom: `{{#label}} isn't a folder path: ${parsed.reason}` });
  })
  .description('the path of a folder, such as /lights/gannet')
  .example('/lights/gannet');

export const pagingSchemas = {
  limit: Joi.number().integer().min(1).max(500).default(60).description('how many items at most'),
  cursor: Joi.string().max(8000).description('where to go on: `next` of the page before'),
};

/** The schema of a list answer. */
export function pageOf(item: Joi.Schema): Joi.ObjectSchema {
  return Joi.object({
    items: Joi.array().items(item).required(),
    total: Joi.number().integer().min(0).required(),
    next: Joi.string().allow(null).required().description('the cursor of the page after it'),
  });
}

/** An object of which every key is there, as in answers. */
export function answer(keys: Record<string, Joi.Schema>): Joi.ObjectSchema {
  return Joi.object(
    Object.fromEntries(Object.entries(keys).map(([key, schema]) => [key, schema.required()])),
  );
}

export const verdictSchema = component(
  'Verdict',
  answer({
    name: Joi.string(),
    outcome: Joi.string().valid('accepted', 'warned', 'refused'),
    reasons: Joi.array().items(
      answer({
        code: Joi.string(),
        message: Joi.string(),
        limit: Joi.alternatives(Joi.number(), Joi.string().allow(null)),
        actual: Joi.alternatives(Joi.number(), Joi.string().allow(null)),
        folder: Joi.string().allow(null),
      }),
    ),
  }),
);

export const problemSchema = component(
  'Problem',
  Joi.object({
    type: Joi.string().required(),
    title: Joi.string().required(),
    status: Joi.number().integer().required(),
    detail: Joi.string().required().description('what happened, to which thing, and what to do'),
    instance: Joi.string().required(),
    code: Joi.string().required(),
    requestId: Joi.string().required(),
    errors: Joi.array().items(
      Joi.object({
        field: Joi.string().allow('').required(),
        code: Joi.string().required(),
        message: Joi.string().required(),
        position: Joi.number().integer().description('where in a text the fault is, in UTF-16 code units'),
        length: Joi.number().integer(),
        suggestion: Joi.string().allow(null, '').description('the text with the fault mended'),
      }),
    ),
    verdict: verdictSchema,
  }),
);

/** The answer of the test of a connection or source. */
export const stepsSchema = answer({
  steps: Joi.array().items(answer({ name: Joi.string(), ok: Joi.boolean(), message: Joi.string() })),
});

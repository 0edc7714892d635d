import { RIGHTS } from '@uniferum/core/access';
import type Joi from 'joi';
import joiToJson from 'joi-to-json';
import { PROBLEMS } from './errors.js';
import {
  type Json,
  type OperationExample,
  type OperationExamples,
  readExamples,
} from './openapi-examples.js';
import { operationIdOf } from './operation-id.js';
import type { AnswerSpec, Route } from './route.js';
import { components, problemSchema } from './schemas.js';
import { VERSION } from './version.js';

type JsonObject = { [key: string]: Json };

/** The package exports one function; its types describe a module instead. */
const convert = joiToJson as unknown as (schema: Joi.Schema, mode: 'open-api-3.1') => JsonObject;

/** Builds the OpenAPI 3.1 document from the schemas by which the routes validate. It is slow: cache the result. */
export function buildOpenApi(
  routes: readonly Route[],
  examples: OperationExamples = readExamples(),
): JsonObject {
  const named = new Map(
    [...components()].map(([name, schema]) => [JSON.stringify(toJsonSchema(schema)), name]),
  );
  // The same few schemas occur in every route.
  const referred = new Map<Json, Json>();
  const refer = (schema: Json): Json => {
    const known = referred.get(schema);
    if (known !== undefined) return known;
    const result = withReferences(schema, named);
    referred.set(schema, result);
    return result;
  };
  const paths: Record<string, JsonObject> = {};
  for (const route of routes) {
    const path = documentPath(route.path);
    paths[path] = {
      ...paths[path],
      [route.method]: describeRoute(route, { refer, example: examples[`${route.method} ${route.path}`] }),
    };
  }
  return {
    openapi: '3.1.0',
    info: {
      title: 'Uniferum',
      version: VERSION,
      description: "A hub for a web site's files: intake, rules, renditions and runs.",
      license: { name: 'MIT', identifier: 'MIT' },
    },
    servers: [{ url: '/' }],
    security: [{ key: [] }, { session: [] }],
    paths,
    components: {
      securitySchemes: {
        key: {
          type: 'http',
          scheme: 'bearer',
          description: `An API key. Rights: ${Object.entries(RIGHTS)
            .map(([right, text]) => `${right} (${text})`)
            .join('; ')}.`,
        },
        session: {
          type: 'apiKey',
          in: 'cookie',
          name: 'uniferum_session',
          description: "The console's session",
        },
      },
      schemas: Object.fromEntries(
        [...components()].map(([name, schema]) => [name, withReferences(toJsonSchema(schema), named, true)]),
      ),
    },
  };
}

/** The path in OpenAPI notation; it has no wildcards, so the rest of a path is one parameter. */
export function documentPath(path: string): string {
  return path.replace(/\{(\w+)\*\}/g, '{$1}');
}

interface Context {
  refer(schema: Json): Json;
  /** What a server answered; none for routes that nobody has recorded. */
  example: OperationExample | undefined;
}

function describeRoute(route: Route, context: Context): JsonObject {
  const { refer, example } = context;
  const isPublic = route.access === 'public';
  return {
    operationId: operationIdOf({ method: route.method, path: route.path, isList: isList(route) }),
    summary: route.summary,
    ...(route.description !== undefined && { description: route.description }),
    tags: [route.path.replace('/api/v1', '').split('/')[1] ?? 'system'],
    ...(isPublic ? { security: [] } : {}),
    ...(route.access === 'anyone' ? { security: [{}, { key: [] }, { session: [] }] } : {}),
    ...(isPublic || route.access === 'anyone' ? {} : { 'x-right': route.access }),
    parameters: [
      ...describeParameters(route.params, 'path', route, example?.params),
      ...describeParameters(route.query, 'query', route),
      ...headerParameters(route),
    ],
    ...describeBody(route, refer),
    responses: describeAnswers(route, context),
  };
}

/** A page of a list has a cursor of the next. */
function isList({ answers }: Route): boolean {
  const json = answers[200]?.schema && toJsonSchema(answers[200].schema);
  const properties = (json?.properties ?? {}) as JsonObject;
  return 'items' in properties && 'next' in properties;
}

function describeParameters(
  schema: Joi.ObjectSchema | undefined,
  place: 'path' | 'query',
  route: Route,
  values: Record<string, string> = {},
): Json[] {
  if (!schema) return [];
  const json = toJsonSchema(schema);
  const required = (json.required ?? []) as string[];
  return Object.entries((json.properties ?? {}) as Record<string, JsonObject>).map(([name, property]) => {
    // The rest of a path is an array in Express, and one text in the document.
    const isRest = route.path.includes(`{${name}*}`);
    return {
      name,
      in: place,
      required: place === 'path' || required.includes(name),
      schema: isRest ? { type: 'string' } : property,
      ...(values[name] !== undefined && { example: values[name] }),
    };
  });
}

function headerParameters({ method, access, headers }: Route): Json[] {
  const text = (name: string, description: string, { required = false, example = '' } = {}): Json => ({
    ...{ name, in: 'header', required, description },
    schema: { type: 'string' },
    ...(example !== '' && { example }),
  });
  if (headers)
    return Object.entries(headers).map(([name, { description, ...more }]) => text(name, description, more));
  if (method === 'post' && access !== 'public')
    return [
      text(
        'Idempotency-Key',
        'A repeated request with the same key and body within 24 hours returns the same response and has no further effect.',
      ),
    ];
  if (method === 'patch' || method === 'put' || method === 'delete')
    return [text('If-Match', 'The ETag of the state that is to be changed.')];
  return [];
}

function describeBody({ body, multipart }: Route, refer: (schema: Json) => Json): JsonObject {
  if (multipart) {
    const json = toJsonSchema(multipart);
    const properties = {
      ...(json.properties as JsonObject),
      // As one file, although it may come again: few generators can send a list of files.
      file: {
        ...{ type: 'string', format: 'binary', contentMediaType: 'application/octet-stream' },
        description: 'the bytes of a file; the field may come again for more files',
      },
    };
    return {
      requestBody: {
        required: true,
        content: {
          'multipart/form-data': { schema: { ...json, properties } },
        },
      },
    };
  }
  if (!body) return {};
  return {
    requestBody: { required: true, content: { 'application/json': { schema: refer(toJsonSchema(body)) } } },
  };
}

function describeAnswers(route: Route, { refer, example }: Context): JsonObject {
  const problem = (description: string): Json => ({
    description,
    content: { 'application/problem+json': { schema: refer(toJsonSchema(problemSchema)) } },
  });
  const statuses = new Set(Object.values(PROBLEMS).map(({ status }) => status));
  if (route.access === 'public') statuses.delete(403);
  const problems = Object.fromEntries(
    [...statuses].sort((a, b) => a - b).map((status) => [String(status), problem(titlesOf(status))]),
  );
  return {
    ...problems,
    ...Object.fromEntries(
      Object.entries(route.answers).map(([status, spec]) => [
        status,
        describeAnswer(spec, refer, example?.answers[status]),
      ]),
    ),
  };
}

function titlesOf(status: number): string {
  return Object.values(PROBLEMS)
    .filter((problem) => problem.status === status)
    .map(({ title }) => title)
    .join(', or ');
}

function describeAnswer(
  { description, schema, contentType, headers }: AnswerSpec,
  refer: (schema: Json) => Json,
  example?: Json,
): JsonObject {
  const about = {
    description,
    ...(headers && {
      headers: Object.fromEntries(
        Object.entries(headers).map(([name, text]) => [
          name,
          { description: text, schema: { type: 'string' } },
        ]),
      ),
    }),
  };
  if (!schema && !contentType) return about;
  const type = contentType ?? 'application/json';
  return {
    ...about,
    content: {
      [type]: {
        schema: schema ? refer(toJsonSchema(schema)) : { type: 'string' },
        ...(example !== undefined && { example }),
      },
    },
  };
}

const converted = new WeakMap<Joi.Schema, JsonObject>();

function toJsonSchema(schema: Joi.Schema): JsonObject {
  const known = converted.get(schema) ?? convert(schema, 'open-api-3.1');
  converted.set(schema, known);
  return known;
}

/** Replaces every occurrence of a named schema by a reference to it. */
function withReferences(schema: Json, named: ReadonlyMap<string, string>, isTop = false): Json {
  if (schema === null || typeof schema !== 'object') return schema;
  const name = isTop ? undefined : named.get(JSON.stringify(schema));
  if (name) return { $ref: `#/components/schemas/${name}` };
  if (Array.isArray(schema)) return schema.map((part) => withReferences(part, named));
  return Object.fromEntries(Object.entries(schema).map(([key, part]) => [key, withReferences(part, named)]));
}

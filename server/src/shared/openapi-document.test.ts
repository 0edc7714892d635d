import SwaggerParser from '@apidevtools/swagger-parser';
import { validate as validateByDialect } from '@hyperjump/json-schema/openapi-3-1';
import { Validator } from '@seriousme/openapi-schema-validator';
import { Ajv2020 } from 'ajv/dist/2020.js';
import addFormatsModule from 'ajv-formats';
import { expect, test } from 'vitest';
import { describeRoutes } from '../describe.js';
import { buildOpenApi, documentPath } from './openapi.js';
import { readExamples } from './openapi-examples.js';

const ALL_ROUTES = await describeRoutes();
// biome-ignore lint/suspicious/noExplicitAny: a JSON document is walked freely
const document = buildOpenApi(ALL_ROUTES) as any;

test('two more validators agree: one with the official schema and its dialect, one that follows references', async () => {
  const plain = JSON.parse(JSON.stringify(document));
  await expect(SwaggerParser.validate(structuredClone(plain))).resolves.toMatchObject({ openapi: '3.1.0' });
  const dialect = await validateByDialect('https://spec.openapis.org/oas/3.1/schema-base');
  expect(dialect(plain).valid).toBe(true);
  // They would say otherwise.
  const wrong = structuredClone(plain);
  wrong.paths['/api/v1/assets'].get.responses = 7;
  await expect(SwaggerParser.validate(structuredClone(wrong))).rejects.toThrow();
  expect(dialect(wrong).valid).toBe(false);
});

test('every call has a name of its own, as a person would choose it', () => {
  const names = Object.values(document.paths).flatMap((path) =>
    // biome-ignore lint/suspicious/noExplicitAny: a JSON document is walked freely
    Object.values(path as any).map(({ operationId }: any) => operationId as string),
  );
  expect(names.length).toBe(ALL_ROUTES.length);
  expect(new Set(names).size).toBe(names.length);
  expect(names.filter((name) => !/^[a-z]+(?:[A-Z][a-z0-9]*)*$/.test(name))).toEqual([]);
  expect(names).toEqual(
    expect.arrayContaining([
      'listAssets',
      'uploadAssets',
      'getAsset',
      'restoreAssetVersion',
      'signIn',
      'stopRun',
    ]),
  );
});

test('what resumable uploads and the live stream send in headers is described', () => {
  const headersOf = (operation: { parameters: { in: string; name: string; required: boolean }[] }) =>
    operation.parameters.filter((one) => one.in === 'header').map(({ name, required }) => [name, required]);
  expect(headersOf(document.paths['/api/v1/uploads'].post)).toEqual([
    ['Tus-Resumable', true],
    ['Upload-Length', true],
    ['Upload-Metadata', true],
  ]);
  expect(headersOf(document.paths['/api/v1/events'].get)).toEqual([['Last-Event-ID', false]]);
  expect(Object.keys(document.paths['/api/v1/uploads'].post.responses[201].headers)).toContain('Location');
});

test('the document is valid OpenAPI 3.1, says an independent validator', async () => {
  const result = await new Validator().validate(JSON.parse(JSON.stringify(document)));
  expect(result.errors ?? []).toEqual([]);
  expect(result.valid).toBe(true);
  expect(document.openapi).toBe('3.1.0');
});

/** They take nothing, and answer with nothing or with a document that explains itself. */
const SILENT = [
  ...['delete /api/v1/session', 'get /api/v1/openapi.json', 'get /api/v1/recipes/schema.json'],
  ...['get /health/live', 'options /api/v1/uploads'],
];

test('every operation has an example, of what it takes or of what it answers', () => {
  // biome-ignore lint/suspicious/noExplicitAny: a JSON document is walked freely
  const exampled = (part: any): boolean =>
    typeof part === 'object' &&
    part !== null &&
    ('example' in part || 'examples' in part || Object.values(part).some(exampled));
  const without = Object.entries(document.paths).flatMap(([path, operations]) =>
    // biome-ignore lint/suspicious/noExplicitAny: a JSON document is walked freely
    Object.entries(operations as any).flatMap(([method, operation]: [string, any]) => {
      const { parameters, requestBody, responses } = operation;
      return exampled([parameters, requestBody, responses]) ? [] : [`${method} ${path}`];
    }),
  );
  expect(without.sort()).toEqual(SILENT);
});

test('every example answer is one that its own schema takes', () => {
  const ajv = new Ajv2020({ strict: false });
  (addFormatsModule as unknown as (ajv: Ajv2020) => void)(ajv);
  ajv.addSchema({ ...document, $id: 'document' });
  let count = 0;
  for (const [operation, { answers }] of Object.entries(readExamples())) {
    const [method = '', path = ''] = operation.split(' ');
    for (const [status, example] of Object.entries(answers)) {
      const at = ['paths', documentPath(path), method, 'responses', status, 'content'];
      const content = at.reduce((node, key) => node[key], document);
      const [type = ''] = Object.keys(content);
      const pointer = [...at, type, 'schema'].map((part) => part.replaceAll('~', '~0').replaceAll('/', '~1'));
      const validate = ajv.compile({ $ref: `document#/${pointer.map(encodeURIComponent).join('/')}` });
      expect([operation, status, validate(example), ajv.errorsText(validate.errors)]).toEqual([
        ...[operation, status, true, 'No errors'],
      ]);
      expect(content[type].example).toEqual(example);
      count += 1;
    }
  }
  expect(count).toBeGreaterThan(100);
});

test('every request body has an example that its own schema takes', () => {
  for (const { body, path, method } of ALL_ROUTES) {
    if (!body) continue;
    const examples = (body.describe() as { examples?: unknown[] }).examples ?? [];
    expect(examples.length, `${method} ${path}`).toBeGreaterThan(0);
    for (const example of examples) expect(body.validate(example).error, `${method} ${path}`).toBeUndefined();
  }
});

import SwaggerParser from '@apidevtools/swagger-parser';
import { validate as validateByDialect } from '@hyperjump/json-schema/openapi-3-1';
import { Validator } from '@seriousme/openapi-schema-validator';
import { expect, test } from 'vitest';
import { describeRoutes } from '../describe.js';
import { buildOpenApi } from './openapi.js';

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

test('every request body has an example that its own schema takes', () => {
  for (const { body, path, method } of ALL_ROUTES) {
    if (!body) continue;
    const examples = (body.describe() as { examples?: unknown[] }).examples ?? [];
    expect(examples.length, `${method} ${path}`).toBeGreaterThan(0);
    for (const example of examples) expect(body.validate(example).error, `${method} ${path}`).toBeUndefined();
  }
});

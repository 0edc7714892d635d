import { execFile } from 'node:child_process';
import { mkdtemp, readFile, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath, pathToFileURL } from 'node:url';
import { promisify } from 'node:util';
import { generateApi } from 'swagger-typescript-api';
import { afterAll, beforeAll, expect, test } from 'vitest';
import { photo, startTestServer, type TestServer } from '../../server/src/testing/harness.js';

// A client that a common generator makes from the API's document, compiled strictly and used.

const TSC = fileURLToPath(new URL('../../node_modules/.bin/tsc', import.meta.url));
const SCRIPT = `
import { Api, type Asset, HttpResponse, type Problem } from './api.js';

const api = new Api<string>({
  baseUrl: process.env.UNIFERUM_URL as string,
  securityWorker: (key) => ({ headers: { Authorization: \`Bearer \${key}\` } }),
});
api.setSecurityData(process.env.UNIFERUM_KEY as string);

const bytes = new Uint8Array(Buffer.from(process.env.PICTURE as string, 'base64'));
const file = new File([bytes], 'dusk.jpg');
const sent: Asset = (await api.api.uploadAssets({ folder: '/lights', alt: 'Dusk', file })).data;
const fetched: Asset = (await api.api.importAsset({ source: 'data:text/plain,Fog', folder: '/lights' })).data;
const replaced = (await api.api.replaceAssetContent(fetched.id, { file: new File(['Clear'], 'fog.txt') })).data;
const { items } = (await api.api.listAssets({ folder: '/lights', q: 'kind:image' })).data;
const refused = await api.api.getAsset('999').catch((answer: HttpResponse<Asset, Problem>) => answer.error);
const rehearsed = (await api.api.rebuildRenditions({ only: 'all' }, { rehearse: true })).data;
console.log(JSON.stringify([sent, replaced, items, refused, 'plan' in rehearsed && rehearsed.plan.totals.renditions]));
`;

let server: TestServer;
let folder: string;
beforeAll(async () => {
  server = await startTestServer();
  folder = await mkdtemp(join(tmpdir(), 'uniferum-generated-'));
});
afterAll(async () => {
  await rm(folder, { recursive: true, force: true });
  await server.close();
});

test('a generated client compiles strictly, uploads a file, and reads answers and problems', async () => {
  const document = join(folder, 'openapi.json');
  await writeFile(document, (await server.call('GET', '/api/v1/openapi.json')).bytes);
  await generateApi({ input: document, output: folder, fileName: 'api.ts', silent: true });
  // The generator turns the compiler off for what it makes.
  const generated = await readFile(join(folder, 'api.ts'), 'utf8');
  await writeFile(join(folder, 'api.ts'), generated.replace('// @ts-nocheck\n', ''));
  await writeFile(join(folder, 'package.json'), '{ "type": "module" }');
  await writeFile(join(folder, 'script.ts'), SCRIPT);
  const run = promisify(execFile);
  const types = fileURLToPath(new URL('../../node_modules/@types', import.meta.url));
  const options = ['--strict', '--target', 'es2022', '--module', 'nodenext', '--types', 'node'];
  const compiled = await run(TSC, [
    ...options,
    '--typeRoots',
    types,
    '--ignoreConfig',
    join(folder, 'script.ts'),
  ]).catch((error) => error);
  expect(compiled.stdout).toBe('');
  const env = {
    ...process.env,
    ...{ UNIFERUM_URL: server.url, UNIFERUM_KEY: await server.key() },
    PICTURE: (await photo(80, 50)).toString('base64'),
  };
  const { stdout } = await run(process.execPath, [pathToFileURL(join(folder, 'script.js')).pathname], {
    env,
  });
  const [sent, replaced, items, refused, renditions] = JSON.parse(stdout);
  expect(sent).toMatchObject({
    name: 'dusk.jpg',
    width: 80,
    height: 50,
    alt: 'Dusk',
    folder: { path: '/lights' },
  });
  expect(replaced).toMatchObject({ kind: 'document', bytes: 5, version: 2 });
  expect(items.map(({ id }: { id: string }) => id)).toEqual([sent.id]);
  expect(refused).toMatchObject({ status: 404, code: 'not-found', detail: expect.any(String) });
  expect(renditions).toBe(0);
});

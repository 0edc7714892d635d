import { mkdir, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { Ajv2020 } from 'ajv/dist/2020.js';
import addFormatsModule from 'ajv-formats';
import { afterAll, beforeAll, expect, test } from 'vitest';
import { createApp } from '../app.js';
import { describeRoutes } from '../describe.js';
import { ExampleRecorder } from '../testing/example-recorder.js';
import {
  type Answer,
  brokenPng,
  EMAIL,
  form,
  makeTestUser,
  PASSWORD,
  photo,
  startTestServer,
  type TestServer,
} from '../testing/harness.js';
import { buildOpenApi, documentPath } from './openapi.js';

const ALL_ROUTES = await describeRoutes();
const addFormats = addFormatsModule as unknown as (ajv: Ajv2020) => void;
// biome-ignore lint/suspicious/noExplicitAny: a JSON document is walked freely
const document = buildOpenApi(ALL_ROUTES) as any;
const ajv = new Ajv2020({ strict: false });
addFormats(ajv);
ajv.addSchema({ ...document, $id: 'document' });

const answered = new Set<string>();
const recorder = new ExampleRecorder();
const faults: string[] = [];

/** Holds an answer against the schema that the document states for it. */
function check(method: string, path: string, answer: Answer): void {
  const bare = path.split('?')[0] ?? path;
  const route = ALL_ROUTES.find(
    (one) =>
      one.method === method.toLowerCase() &&
      new RegExp(`^${one.path.replace(/\{\w+\*\}/g, '.+').replace(/\{\w+\}/g, '[^/]+')}$`).test(bare),
  );
  if (!route) return;
  const name = `${route.method} ${route.path} ${answer.status}`;
  // Whatever was asked for, it is no fault of the server.
  if (answer.status === 500) faults.push(`${name}: ${answer.body.detail}`);
  const pointer = ['paths', documentPath(route.path), route.method, 'responses', String(answer.status)];
  const response = pointer.reduce((node, key) => node?.[key], document);
  if (!response) {
    faults.push(`${name} is not in the document`);
    return;
  }
  answered.add(`${route.method} ${route.path}`);
  recorder.see(route, bare, answer);
  if (answer.body === undefined) return;
  const type = (answer.headers.get('content-type') ?? '').split(';')[0] ?? '';
  // A file to be saved, whatever its type.
  if (response.content?.['*/*']) return;
  const reference = `document#/${[...pointer, 'content', type, 'schema'].map((part) => encodeURIComponent(part.replaceAll('~', '~0').replaceAll('/', '~1'))).join('/')}`;
  const validate = ajv.compile({ $ref: reference });
  if (!validate(answer.body)) faults.push(`${name}: ${ajv.errorsText(validate.errors)}`);
}

let server: TestServer;
beforeAll(async () => {
  // Whoever holds a connection and takes another one waits for good when there are two.
  server = await startTestServer({ watch: check, env: { UNIFERUM_DB_CONNECTIONS: '2' } });
  await makeTestUser(server.db);
});
afterAll(() => server.close());

test('every route of the server is in it, and it has no other', () => {
  const { services, db, house } = server;
  const { express } = createApp({ services, db, house });
  // biome-ignore lint/suspicious/noExplicitAny: Express does not type its router's stack
  const stack = (express as any).router.stack as any[];
  const served = stack.flatMap(({ route }) =>
    route && typeof route.path === 'string'
      ? Object.keys(route.methods).map((method) => `${method} ${route.path.replace(/[:*](\w+)/g, '{$1}')}`)
      : [],
  );
  const documented = Object.entries(document.paths).flatMap(([path, methods]) =>
    Object.keys(methods as object).map((method) => `${method} ${path}`),
  );
  expect(documented.sort()).toEqual(served.sort());
});

async function callPages(picture: string): Promise<void> {
  const folder = server.config.sourceDirs[0] as string;
  await mkdir(folder, { recursive: true });
  await writeFile(
    join(folder, 'a.html'),
    '<title>A</title><img src="/media/lights/gannet-head.jpg"><img src="/media/lights/no.jpg">',
  );
  const call = (method: 'GET' | 'POST' | 'PATCH' | 'DELETE', path: string, json?: object) =>
    server.call(method, `/api/v1${path}`, json && { json });
  const source = { name: 'Pages', settings: { path: folder, url: 'https://pages.example' } };
  const { id } = (await call('POST', '/sources', source)).body;
  await call('POST', '/sources', source);
  await call('POST', `/sources/${id}/test`);
  await call('POST', `/sources/${id}/index`);
  await server.workUntilIdle();
  for (const path of [
    '/sources',
    '/references/report',
    `/sources/${id}`,
    '/references',
    '/references?state=found&limit=1',
    `/assets/${picture}/uses`,
  ])
    await call('GET', path);
  await call('PATCH', `/sources/${id}`, { settings: { ...source.settings, writable: true } });
  const rewrite = {
    sources: [id],
    map: [{ from: '/media/lights/no.jpg', to: '/media/lights/gannet-head.jpg' }],
  };
  await call('POST', '/references/fix', { ids: ['1', '2', '3'] });
  await call('POST', '/rewrites?rehearse=true', rewrite);
  await call('POST', '/rewrites', rewrite);
  await server.workUntilIdle();
  await call('DELETE', `/sources/${id}`);
}

async function callConnections(): Promise<void> {
  const call = (method: 'GET' | 'POST' | 'PATCH' | 'DELETE', path: string, json?: object) =>
    server.call(method, `/api/v1/connections${path}`, json && { json });
  const settings = { endpoint: 'http://127.0.0.1:9', region: 'r', bucket: 'lights', accessKey: 'k' };
  const { id } = (await call('POST', '', { name: 'Bucket', settings, secret: 's' })).body;
  await call('POST', '', { name: 'Bucket', settings, secret: 's' });
  await call('POST', '/test', { settings, id });
  await call('POST', `/${id}/test`);
  await call('GET', '');
  await call('GET', `/${id}`);
  await call('PATCH', `/${id}`, { name: 'Bucket of lights' });
  await call('DELETE', `/${id}`);
}

async function callStores(picture: string, folder: string): Promise<void> {
  const call = (method: 'GET' | 'POST' | 'PATCH' | 'PUT' | 'DELETE', path: string, json?: object) =>
    server.call(method, `/api/v1${path}`, json && { json });
  const settings = { endpoint: 'http://127.0.0.1:9', region: 'r', bucket: 'lights', accessKey: 'k' };
  const connection = (await call('POST', '/connections', { name: 'Far', settings, secret: 's' })).body.id;
  const { id } = (await call('POST', '/stores', { name: 'far', connection })).body;
  await call('POST', '/stores', { name: 'far', connection });
  await call('POST', '/stores', { name: 'server', connection });
  await call('DELETE', `/connections/${connection}`);
  await call('PATCH', `/stores/${id}`, { auditDays: 7 });
  for (const path of [
    ...['/stores', `/stores/${id}`, '/stores/home', '/stores/999', `/stores/${id}/audit?reason=missing`],
    ...[`/stores/${id}/history`, '/stores/home/history?days=1', '/stores/home/history?days=2'],
    ...[`/folders/${folder}/placement`, `/assets/${picture}/copies`, `/assets/${picture}/links`],
  ])
    await call('GET', path);
  await call('POST', '/stores/home/audit', { mode: 'full' });
  await call('POST', '/stores/home/audit', { mode: 'list' });
  await call('POST', '/stores/home/repair?rehearse=true', {});
  await call('POST', '/stores/home/repair', {});
  await call('PUT', `/folders/${folder}/placement`, { stores: ['nowhere'] });
  await call('PUT', `/folders/${folder}/placement?rehearse=true&gigabyteMonth=0.02`, { stores: ['far'] });
  await call('PUT', `/folders/${folder}/placement`, { stores: [], serveFrom: 'far' });
  await call('PUT', `/folders/${folder}/placement`, { stores: [], keepLocal: true });
  const copies = { select: { ids: [picture] }, store: 'far', action: 'drop' };
  await call('POST', '/copies?rehearse=true', copies);
  await call('POST', '/copies', copies);
  await call('POST', '/copies', { ...copies, store: 'nowhere' });
  const link = (await call('POST', `/assets/${picture}/links`, { rendition: 'wide' })).body;
  await call('GET', `/assets/${picture}/links`);
  await call('DELETE', `/assets/${picture}/links/${link.id}`);
  await call('DELETE', `/assets/${picture}/links/${link.id}`);
  await call('PATCH', `/stores/${id}`, { publicUrl: 'https://media.skerry.example' });
  await callSiteAssets();
  await server.workUntilIdle();
  await call('DELETE', `/stores/${id}`);
  await call('DELETE', '/stores/home');
}

async function callSiteAssets(): Promise<void> {
  const call = (method: 'GET' | 'POST' | 'PATCH' | 'DELETE', path: string, json?: object) =>
    server.call(method, `/api/v1${path}`, json && { json });
  const [folder = ''] = server.config.sourceDirs;
  await mkdir(folder, { recursive: true });
  await writeFile(join(folder, 'site.css'), 'a{b:url(gone.png)}');
  const assets = { name: 'Look', folder, url: 'https://skerry.example/assets', store: 'far' };
  const { id } = (await call('POST', '/site-assets', assets)).body;
  await call('POST', '/site-assets', assets);
  await call('POST', '/site-assets', { ...assets, folder: '/etc' });
  for (const path of ['', `/${id}`, `/${id}/files`, '/999']) await call('GET', `/site-assets${path}`);
  await call('PATCH', `/site-assets/${id}`, { rewritePages: true });
  await call('PATCH', `/site-assets/${id}`, { url: 'nonsense' });
  await call('POST', `/site-assets/${id}/place?rehearse=true`);
  await call('POST', `/site-assets/${id}/place`);
  await call('DELETE', `/site-assets/${id}`);
  await call('DELETE', `/site-assets/${id}`);
}

async function callSitePages(picture: string): Promise<void> {
  const call = (method: 'GET' | 'POST' | 'PATCH' | 'PUT' | 'DELETE', path: string, json?: object) =>
    server.call(method, `/api/v1${path}`, json && { json });
  const slots = [{ name: 'pictures', help: 'The best first', kinds: ['image'], least: 1 }];
  await call('POST', '/page-types', { name: 'light', title: 'Light', slots, regions: ['side'] });
  const page = {
    ...{ title: 'Gannet Head', slug: 'gannet-head', type: 'light', slots: { pictures: [picture] } },
    body: `<p><img data-asset="${picture}" data-recipe="wide" alt="x"></p>`,
    regions: { side: [{ asset: picture, caption: 'x' }] },
  };
  const { id } = (await call('POST', '/pages', page)).body;
  await call('POST', '/pages', page);
  await call('POST', '/pages', { ...page, slug: 'other', slots: { nothing: [] } });
  await call('PATCH', `/pages/${id}?force=true`, { state: 'published', body: '<p>y</p>' });
  await call('PATCH', `/pages/${id}?autosave=true`, { body: '<p>z</p>' });
  for (const path of [
    ...['/page-types', '/pages', '/pages?q=gannet&state=published', `/pages/${id}`, '/pages/999'],
    ...['/pages/at?path=/gannet-head', '/pages/at?path=/nowhere', `/pages/${id}/slots/pictures`],
    ...[`/pages/${id}/slots/pictures/first`, `/pages/${id}/slots/none/first`, `/pages/${id}/revisions`],
    `/pages/${id}/revisions/1`,
  ])
    await call('GET', path);
  await call('POST', `/pages/${id}/revisions/1/restore`);
  await call('PUT', `/pages/${id}/editing`, { editing: true });
  await call('DELETE', '/page-types/light');
  await call('DELETE', `/pages/${id}`);
  await call('DELETE', '/page-types/light');
}

test('real answers of every route match it, good ones and bad ones', async () => {
  const get = (path: string) => server.call('GET', path);
  const post = (path: string, json: unknown) => server.call('POST', path, { json });
  await post('/api/v1/recipes', {
    name: 'wide',
    title: 'Wide',
    steps: [{ op: 'fit', mode: 'inside', width: 300 }],
    output: { format: 'jpeg' },
  });
  const picture = (
    await server.call('POST', '/api/v1/assets', {
      body: form('/lights', [{ name: 'gannet-head.jpg', data: await photo(600, 400) }]),
    })
  ).body;
  await server.call('POST', '/api/v1/assets', {
    body: form('/lights', [
      { name: 'hours.txt', data: Buffer.from('b') },
      { name: 'log.txt', data: Buffer.alloc(0) },
    ]),
  });
  await server.call('POST', '/api/v1/assets', {
    body: form('/lights', [{ name: 'log.txt', data: Buffer.alloc(0) }]),
  });
  await get('/api/v1/health');
  await server.workUntilIdle();
  const intake = (await post('/api/v1/intakes', { folder: '/lights' })).body.id;
  const folder = picture.folder.id;
  const key = (await post('/api/v1/keys', { name: 'Nightly import', rights: ['library:read'] })).body.id;
  const empty = (await post('/api/v1/folders', { path: '/empty' })).body.id;
  const [run] = (await get('/api/v1/runs')).body.items;
  for (const path of [
    '/health',
    '/health/live',
    '/api/v1/health',
    '/metrics',
    '/api/v1/openapi.json',
    '/api/v1/me',
    '/api/v1/keys',
    '/api/v1/folders',
    `/api/v1/folders/${folder}`,
    `/api/v1/folders/${folder}/rules`,
    `/api/v1/folders/${folder}/access`,
    '/api/v1/assets?folder=/lights',
    `/api/v1/assets/${picture.id}`,
    `/api/v1/assets/${picture.id}/content`,
    `/api/v1/assets/${picture.id}/renditions`,
    `/api/v1/assets/${picture.id}/versions`,
    `/api/v1/assets/${picture.id}/events`,
    '/api/v1/intakes',
    `/api/v1/intakes/${intake}`,
    '/api/v1/intakes/1/files',
    '/api/v1/recipes',
    '/api/v1/recipes/wide',
    '/api/v1/runs',
    `/api/v1/runs/${run.id}`,
    `/api/v1/runs/${run.id}/items`,
    '/api/v1/flow',
    '/media/lights/gannet-head.jpg',
    '/media/lights/gannet-head~wide.jpg',
  ])
    await get(path);
  await callDerived(picture.id);
  await callPages(picture.id);
  await callSitePages(picture.id);
  await callConnections();
  await callStores(picture.id, folder);
  for (const verb of ['stop', 'resume', 'retry']) await post(`/api/v1/runs/${run.id}/${verb}`, {});
  await post('/api/v1/intake/check', { folder: '/lights', files: [{ name: 'x.jpg', bytes: 9 }] });
  const begun = await post('/api/v1/intakes', { folder: '/lights' });
  await post(`/api/v1/intakes/${begun.body.id}/check`, {
    folder: '/lights',
    files: [{ name: 'x.jpg', bytes: 0 }],
  });
  await post('/api/v1/recipes/rebuild?rehearse=true', { only: 'all' });
  await post('/api/v1/recipes/rebuild', { only: 'all' });
  await server.call('PUT', '/api/v1/recipes/wide', {
    json: { title: 'W', steps: [{ op: 'fit', mode: 'inside', width: 200 }] },
  });
  await server.call('PUT', `/api/v1/folders/${folder}/rules`, {
    json: { maxBytes: 10, requireTexts: ['alt'], deny: ['exe'] },
  });
  await get(`/api/v1/folders/${folder}/rules`);
  await server.call('PUT', `/api/v1/folders/${folder}/access`, { json: { publicMetadata: 'none' } });
  await server.call('PATCH', `/api/v1/folders/${folder}`, { json: { colour: '#aa3311' } });
  await server.call('PATCH', `/api/v1/assets/${picture.id}`, { json: { title: 'T' } });
  await server.call('DELETE', `/api/v1/assets/${picture.id}`);
  await post(`/api/v1/assets/${picture.id}/restore`, {});
  await server.call('PUT', `/api/v1/folders/${folder}/rules`, { json: { maxBytes: 5_000_000 } });
  await post(`/api/v1/assets/${picture.id}/restore`, {});
  await server.call('DELETE', `/api/v1/folders/${empty}`);
  await server.call('DELETE', '/api/v1/recipes/wide');
  await post('/api/v1/picker-tokens', { folder: '/lights', origin: 'https://skerry.example' });
  await post('/api/v1/picker-tokens', { folder: '/nowhere' });
  await post('/api/v1/upload-tokens', { folder: '/lights', maxItems: 3 });
  await post('/api/v1/upload-tokens', { folder: '/nowhere' });
  await server.call('DELETE', `/api/v1/keys/${key}`);
  await server.call('POST', '/api/v1/session', { key: null, json: { email: EMAIL, password: PASSWORD } });
  await server.call('DELETE', '/api/v1/session');
  await callWaysAndKeeping(picture.id);
  for (const bad of [
    '/api/v1/assets/0',
    '/api/v1/assets/999',
    '/api/v1/assets?sort=colour',
    '/api/v1/folders/999/rules',
    '/api/v1/runs/9999',
    '/media/none/x.jpg',
  ])
    await get(bad);
  await post('/api/v1/folders', { path: 5 });
  await post('/api/v1/session', { email: 'x' });

  const silent = ALL_ROUTES.map(({ method, path }) => `${method} ${path}`).filter(
    (name) => !answered.has(name) && !name.endsWith('/events'),
  );
  expect(silent).toEqual([]);
  expect(faults).toEqual([]);
  // `npm run examples`
  if (process.env.RECORD_EXAMPLES) recorder.write(server);
});

/** Calls everything about recipes, what they make, and the workers. */
async function callDerived(id: string): Promise<void> {
  const get = (path: string) => server.call('GET', path);
  const post = (path: string, json: unknown) => server.call('POST', path, { json });
  const chain = { steps: [{ op: 'fit', mode: 'cover', width: 40, height: 40 }], output: { format: 'webp' } };
  const recipe = {
    title: 'W',
    steps: [{ op: 'fit', mode: 'inside', width: 310 }],
    output: { format: 'jpeg' },
  };
  await server.call('PUT', '/api/v1/recipes/wide?rehearse=true', { json: recipe });
  await post('/api/v1/recipes?rehearse=true', { name: 'another', ...recipe });
  await post('/api/v1/recipes', {
    name: 'gone',
    ...recipe,
    ladder: { widths: [300, 100] },
    output: { format: 'jpeg', likeness: 0.9, also: ['webp'] },
  });
  await post('/api/v1/recipes/rebuild', { only: 'unfinished', select: { q: '', folder: '/lights' } });
  await server.call('POST', '/api/v1/assets', {
    body: form('/lights', [{ name: 'broken.png', data: await brokenPng(300, 200, 3) }]),
  });
  await server.workUntilIdle();
  for (const path of [
    '/api/v1/recipes',
    '/api/v1/recipes/gone',
    '/api/v1/recipes/gone/revisions',
    '/api/v1/recipes/schema.json',
    '/api/v1/recipes/export',
    '/api/v1/recipes/export?names=wide',
    '/api/v1/recipes/export?names=none',
    '/api/v1/recipes/matrix?state=fresh&q=kind:image',
    `/api/v1/assets/${id}/renditions/wide`,
    `/api/v1/assets/${id}/renditions/gone?variant=100w.webp`,
    `/api/v1/assets/${id}/renditions/none`,
    `/api/v1/assets/${id}/snippet?recipe=gone`,
    '/api/v1/assets/optimised',
    '/api/v1/workers',
    '/api/v1/runs/failures',
    `/iiif/3/${id}`,
    `/iiif/3/${id}/info.json`,
    `/iiif/3/${id}/square/50,/0/default.jpg`,
    `/iiif/3/${id}/square/50,/x/default.jpg`,
  ])
    await get(path);
  const [failure] = (await get('/api/v1/runs/failures')).body.items;
  await post('/api/v1/runs/failures/retry', { reason: failure.reason, kind: failure.kind });
  await post('/api/v1/recipes/import?rehearse=true', (await get('/api/v1/recipes/export')).body);
  await post('/api/v1/recipes/import', { format: 'uniferum-recipes', version: 1, recipes: [] });
  await post('/api/v1/recipes/preview', { asset: id, ...chain });
  await post('/api/v1/recipes/preview', { asset: id, steps: [{ op: 'nothing' }] });
  const { body: address } = await post(`/api/v1/assets/${id}/address`, chain);
  await get(new URL(address.url).pathname);
  await post('/api/v1/assets/optimise?rehearse=true', { select: { q: 'kind:image' } });
  await post('/api/v1/assets/optimise', { select: { ids: [id] } });
  await server.call('DELETE', '/api/v1/recipes/gone');
  await get('/api/v1/renditions/surplus');
  await post('/api/v1/renditions/surplus/remove?rehearse=true', {});
  await post('/api/v1/renditions/surplus/remove', { recipes: ['gone'] });
}

/** Calls what brings files in by other ways, finds them and keeps them in order. */
async function callWaysAndKeeping(asset: string): Promise<void> {
  const call = (method: string, path: string, json?: unknown) =>
    server.call(method, `/api/v1${path}`, json === undefined ? {} : { json });
  const { body: saved } = await call('POST', '/filters', { name: 'Images', q: 'kind:image' });
  for (const path of [
    '/assets?q=kind:image',
    '/assets?q=knd:image',
    '/assets/facets',
    '/assets/facets?q=kind:image',
    '/assets/duplicates',
    '/assets/duplicates?by=look',
    '/filters',
    '/bin',
    '/inbox',
    '/settings/metadata',
    '/intakes/1/report',
    '/intakes/1/report?format=json',
    `/assets/${asset}/versions/1/content`,
    `/uploads/${'0'.repeat(32)}/result`,
  ])
    await call('GET', path);
  await call('DELETE', `/filters/${saved.id}`);
  await call('PUT', '/settings/metadata', (await call('GET', '/settings/metadata')).body);
  await call('POST', '/inbox/register?rehearse=true', {});
  await call('POST', '/inbox/register', {});
  await call('POST', '/intake/addresses', { folder: '/lights', addresses: ['data:,fog'] });
  await call('POST', '/intake/manifest?rehearse=true', { content: 'path\nhours.txt\n' });
  await call('POST', '/intake/manifest', { content: 'path\ndata:,row\n' });
  await call('POST', '/assets', { source: 'data:,one', folder: '/lights' });
  await call('POST', '/assets/from-address', { source: 'data:,tides', folder: '/lights' });
  await call('POST', '/assets', { source: 'http://127.0.0.2/', folder: '/lights' });
  await server.call('PUT', `/api/v1/assets/${asset}/content`, {
    body: new Uint8Array(await photo(50, 50)) as BodyInit,
  });
  await call('POST', `/assets/${asset}/versions/1/restore`, {});
  await call('POST', '/assets/bulk?rehearse=true', {
    select: { q: '' },
    change: { fill: { alt: '{words}' } },
  });
  const { run } = (
    await call('POST', '/assets/bulk', { select: { q: '' }, change: { fill: { alt: '{words}' } } })
  ).body;
  await server.workUntilIdle();
  await call('POST', `/runs/${run.id}/undo`, {});
  await call('POST', '/bin/empty?rehearse=true', {});
  await call('POST', '/bin/empty', {});
  const tus = { 'Tus-Resumable': '1.0.0' };
  await server.call('OPTIONS', '/api/v1/uploads', { headers: tus });
  const begun = await server.call('POST', '/api/v1/uploads', {
    headers: { ...tus, 'Upload-Length': '3', 'Upload-Metadata': `filename ${btoa('tides.txt')}` },
  });
  const upload = `/api/v1/uploads/${begun.headers.get('location')?.split('/').at(-1)}`;
  await server.call('HEAD', upload, { headers: tus });
  const piece = { ...tus, 'Upload-Offset': '0', 'Content-Type': 'application/offset+octet-stream' };
  await server.call('PATCH', upload, { headers: piece, body: 'fog' });
  await server.call('GET', `${upload}/result`);
  await server.call('DELETE', upload, { headers: tus });
}

test('what is no JSON, too large or unknown is answered by a problem, never by HTML', async () => {
  const broken = await server.call('POST', '/api/v1/folders', {
    body: '{"path":',
    headers: { 'Content-Type': 'application/json' },
  });
  const large = await server.call('POST', '/api/v1/folders', { json: { path: 'x'.repeat(5_000_000) } });
  const unknown = await server.call('GET', '/api/v1/nothing');
  expect([broken.status, large.status, unknown.status]).toEqual([400, 413, 404]);
  for (const { headers, body } of [broken, large, unknown]) {
    expect(headers.get('content-type')).toMatch(/^application\/problem\+json/);
    expect(body).toMatchObject({
      type: expect.stringMatching(/^urn:uniferum:problem:/),
      title: expect.any(String),
      detail: expect.any(String),
      requestId: expect.any(String),
    });
  }
});

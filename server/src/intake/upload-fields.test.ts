import { readdir } from 'node:fs/promises';
import { afterAll, beforeAll, expect, test } from 'vitest';
import { select, selectExpanded } from '../shared/database.js';
import { sha256Of } from '../shared/sha256.js';
import { api, callsOf } from '../testing/calls.js';
import { startTestServer, type TestServer } from '../testing/harness.js';

// RFC 7578, 5.2: the parts of a form may come in any order.

let server: TestServer;
beforeAll(async () => {
  server = await startTestServer();
});
afterAll(async () => {
  await server.close();
});
const { assetsOf, setRules } = callsOf(() => server);

type Part = readonly [name: string, value: string, file?: string];
function send(parts: readonly Part[], headers: Record<string, string> = {}) {
  const body = new FormData();
  for (const [name, value, file] of parts)
    if (file === undefined) body.append(name, value);
    else body.append(name, new Blob([value]), file);
  return server.call('POST', `${api}/assets`, { body, headers });
}
const file = (name: string, content = `bytes of ${name}`): Part => ['file', content, name];
const placed = async (folder: string) =>
  (await assetsOf(folder)).map((asset) => `${asset.folder.path}/${asset.name}`);

test('a folder and texts that come after the file are those of the file', async () => {
  const { status, body } = await send([
    file('a.txt'),
    ['alt', 'A fog bank'],
    ['folder', '/after'],
    ['title', 'Fog'],
  ]);
  expect([status, body.folder.path, body.alt, body.title]).toEqual([201, '/after', 'A fog bank', 'Fog']);
});

test("texts that come after the file are added to those before it, and don't replace them", async () => {
  const { body } = await send([
    ['folder', '/texts'],
    ['alt', 'Before'],
    file('a.txt'),
    ['alt', 'After'],
    ['caption', 'Late'],
    ['keywords', 'sea, fog'],
  ]);
  expect([body.alt, body.caption, body.keywords]).toEqual(['Before', 'Late', ['sea', 'fog']]);
});

test('of several files each goes to the folder before it, and the first ones to the one after them', async () => {
  const { status, body } = await send([
    file('1.txt'),
    file('2.txt'),
    ['folder', '/one'],
    file('3.txt'),
    ['folder', '/two'],
    file('4.txt'),
  ]);
  expect(status).toBe(207);
  expect(body.results.map(({ asset }: { asset: { folder: { path: string } } }) => asset.folder.path)).toEqual(
    ['/one', '/one', '/one', '/two'],
  );
});

test('a file is cut off at the limit of its own folder, not at that of the one it never goes to', async () => {
  const { items } = (await server.call('GET', `${api}/folders`)).body;
  const root = items.find(({ path }: { path: string }) => path === '/').id;
  const limit = (rules: object) => server.call('PUT', `${api}/folders/${root}/rules`, { json: rules });
  await limit({ maxBytes: 10 });
  await setRules('/wide', { maxBytes: 1000 });
  try {
    const { status, body } = await send([file('long.txt', 'x'.repeat(500)), ['folder', '/wide']]);
    expect([status, body.bytes]).toEqual([201, 500]);
    const refused = await send([file('long2.txt', 'y'.repeat(500))]);
    expect([refused.status, refused.body.verdict.reasons[0].code]).toEqual([422, 'too-large']);
  } finally {
    await limit({});
  }
});

test('more files than are stored together go where files without a folder go', async () => {
  const names = Array.from({ length: 70 }, (_, n) => `many-${String(n).padStart(2, '0')}.txt`);
  const { body } = await send([...names.map((name) => file(name)), ['folder', '/many']]);
  const folders = body.results.map(({ asset }: { asset: { folder: { path: string } } }) => asset.folder.path);
  expect(folders.slice(0, 64)).toEqual(Array(64).fill('/'));
  expect(folders.slice(64)).toEqual(Array(6).fill('/many'));
});

test('a retry with the same key gives the same answer, in whatever order its parts come', async () => {
  const parts: Part[] = [file('retry.txt'), ['folder', '/retry']];
  const headers = { 'Idempotency-Key': 'order-1' };
  const first = await send(parts, headers);
  const again = await send(parts, headers);
  expect([again.status, again.body.id]).toEqual([201, first.body.id]);
  expect(await placed('/retry')).toEqual(['/retry/retry.txt']);
  expect((await send([file('retry.txt'), ['folder', '/elsewhere']], headers)).status).toBe(422);
});

test.each<[string, Part[], string]>([
  ['a field that there is none of', [['folder', '/odd'], ['colour', 'red'], file('a.txt')], 'colour'],
  ['such a field after the file', [['folder', '/odd'], file('b.txt'), ['colour', 'red']], 'colour'],
  ['unpack after the archive', [['folder', '/odd'], file('d.zip'), ['unpack', 'true']], 'unpack'],
  [
    'unpack after an archive that came first',
    [file('e.zip'), ['folder', '/odd'], ['unpack', 'true']],
    'unpack',
  ],
  [
    'a file under another name',
    [
      ['folder', '/odd'],
      ['picture', 'bytes', 'c.txt'],
    ],
    'picture',
  ],
])('%s is refused, and says what there is', async (_what, parts, name) => {
  const { status, body } = await send(parts);
  expect([status, body.detail]).toEqual([400, expect.stringContaining(name)]);
  expect(await placed('/odd')).toEqual([]);
  expect(await readdir(server.store.scratch())).toEqual([]);
});

test('a folder that is none is refused, whenever it comes, and nothing stays behind', async () => {
  for (const parts of [
    [file('x.txt'), ['folder', '/../x']],
    [['folder', '/../x'], file('x.txt')],
  ] as Part[][]) {
    const { status, body } = await send(parts);
    expect([status, body.errors[0].field]).toEqual([400, 'folder']);
  }
  expect(await readdir(server.store.scratch())).toEqual([]);
});

test('quotes and other odd characters in a file name survive', async () => {
  const name = 'a "fine" day; 100%.txt';
  const boundary = 'x-boundary';
  // As browsers write it. Source: WHATWG HTML, "multipart/form-data encoding algorithm".
  const written = name.replace(/"/g, '%22');
  const body = [
    ...[`--${boundary}`, 'Content-Disposition: form-data; name="folder"', '', '/quoted'],
    ...[`--${boundary}`, `Content-Disposition: form-data; name="file"; filename="${written}"`],
    ...['Content-Type: text/plain', '', 'bytes', `--${boundary}--`, ''],
  ].join('\r\n');
  const answer = await server.call('POST', `${api}/assets`, {
    body,
    headers: { 'Content-Type': `multipart/form-data; boundary=${boundary}` },
  });
  expect(answer.body.origin.sentAs).toBe(name);
});

test('a file that must keep its name is refused when the name is taken, at every door', async () => {
  await send([['folder', '/kept'], file('a.txt', 'first')]);
  const refused = { code: 'name-taken', folder: '/kept' };
  const alone = await send([['rename', 'false'], ['folder', '/kept'], file('a.txt', 'second')]);
  expect([alone.status, alone.body.verdict.reasons]).toEqual([422, [expect.objectContaining(refused)]]);
  const among = await send([
    ['folder', '/kept'],
    ['rename', 'false'],
    file('a.txt', 'third'),
    file('b.txt'),
    ['folder', '/kept/below'],
    file('a.txt', 'fourth'),
    file('a.txt', 'fifth'),
  ]);
  expect(among.body.results.map(({ status }: { status: number }) => status)).toEqual([422, 201, 201, 422]);
  const fetched = await server.call('POST', `${api}/assets`, {
    json: { source: 'data:text/plain,x', name: 'a.txt', folder: '/kept', rename: false },
  });
  expect(fetched.body.verdict.reasons).toEqual([expect.objectContaining(refused)]);
  expect((await placed('/kept')).sort()).toEqual(['/kept/a.txt', '/kept/b.txt', '/kept/below/a.txt']);
  expect(await readdir(server.store.scratch())).toEqual([]);
});

test('a refused name uses up nothing of a token, and old addresses are taken as well', async () => {
  const { body: first } = await send([['folder', '/limited'], file('a.txt', 'of limited')]);
  const { body } = await server.call('POST', `${api}/upload-tokens`, {
    json: { folder: '/limited', maxItems: 1 },
  });
  const by = (name: string) =>
    send([['folder', '/limited'], ['rename', 'false'], file(name, `sent as ${name}`)], {
      Authorization: `Bearer ${body.token}`,
    });
  const [taken, free, beyond] = [await by('a.txt'), await by('b.txt'), await by('c.txt')];
  expect([taken.status, free.status, beyond.status]).toEqual([422, 201, 422]);
  expect(beyond.body.verdict.reasons[0].code).toBe('too-many');
  await server.call('PATCH', `${api}/assets/${first.id}`, { json: { folder: '/limited/away' } });
  const moved = await send([['folder', '/limited'], ['rename', 'false'], file('a.txt', 'new')]);
  expect([moved.status, moved.body.verdict.reasons[0].code]).toEqual([422, 'name-taken']);
});

test('a token counts what was uploaded with it, upload after upload', async () => {
  await send([['folder', '/counted'], file('first.txt', 'counted first')]);
  const { body } = await server.call('POST', `${api}/upload-tokens`, {
    json: { folder: '/counted', maxItems: 4 },
  });
  const by = async (...names: string[]) => {
    const files = names.map((name) => file(name, `counted ${name}`));
    const { status } = await send([['folder', '/counted'], ...files], {
      Authorization: `Bearer ${body.token}`,
    });
    const [row] = await select<{ used_items: number }>(
      server.db,
      "SELECT used_items FROM access_tokens WHERE folder = '/counted'",
    );
    return [status, row?.used_items];
  };
  expect([await by('a.txt', 'b.txt'), await by('c.txt'), await by('d.txt'), await by('e.txt')]).toEqual([
    [207, 2],
    [201, 3],
    [201, 4],
    [422, 4],
  ]);
});

test('nothing of a refused file is left, and its neighbours stay', async () => {
  await setRules('/no-pages', { deny: ['pdf'] });
  const { body } = await send([
    ['folder', '/no-pages'],
    file('kept.txt', 'left as a text'),
    file('gone.pdf', '%PDF-1.7 left by nobody'),
  ]);
  expect(body.results.map(({ status }: { status: number }) => status)).toEqual([201, 422]);
  const digests = ['left as a text', '%PDF-1.7 left by nobody'].map((text) => sha256Of(text));
  const rows = await selectExpanded<{ sha256: string }>(
    server.db,
    'SELECT sha256 FROM blobs WHERE sha256 IN (?)',
    [digests],
  );
  expect(rows.map(({ sha256 }) => sha256)).toEqual([digests[0]]);
});

test.each<[string, Part[], string]>([
  ['is neither true nor false', [['rename', 'no'], file('r.txt')], '"rename" is true or false'],
  ['comes after the file', [['folder', '/late'], file('r.txt'), ['rename', 'false']], 'before the file'],
  [
    'is about an archive',
    [['folder', '/late'], ['rename', 'false'], ['unpack', 'true'], file('r.zip')],
    'Files of an archive',
  ],
])('"rename" that %s is refused', async (_what, parts, message) => {
  const { status, body } = await send(parts);
  expect([status, body.detail]).toEqual([400, expect.stringContaining(message)]);
});

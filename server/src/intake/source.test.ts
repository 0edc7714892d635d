import sharp from 'sharp';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { api } from '../testing/calls.js';
import { startTestServer, type TestServer } from '../testing/harness.js';
import { type OutsideSite, startOutsideSite } from '../testing/outside-site.js';

let server: TestServer;
let site: OutsideSite;
let described: Buffer;
beforeAll(async () => {
  site = await startOutsideSite();
  server = await startTestServer({
    env: { UNIFERUM_ALLOWED_HOSTS: site.host, UNIFERUM_MAX_UPLOAD_BYTES: '20000' },
  });
  described = await sharp({ create: { width: 60, height: 40, channels: 3, background: '#336699' } })
    .withExif({ IFD0: { ImageDescription: 'An old tower', Artist: 'Edda Lorn' } })
    .jpeg()
    .toBuffer();
});
afterAll(async () => {
  site.close();
  await server.close();
});

const send = (json: object, headers: Record<string, string> = {}) =>
  server.call('POST', `${api}/assets`, { json, headers });
const dataUri = (data: Buffer, type = 'image/jpeg') => `data:${type};base64,${data.toString('base64')}`;

describe('the texts sent with an address', () => {
  test('are used; empty ones leave those of the file', async () => {
    const { status, body } = await send({
      source: dataUri(described),
      name: 'tower.jpg',
      folder: '/sent',
      title: 'Tower',
      caption: '',
      credit: null,
      keywords: ['stone'],
    });
    expect([status, body.name]).toEqual([201, 'tower.jpg']);
    expect(body).toMatchObject({
      title: 'Tower',
      caption: 'An old tower',
      credit: 'Edda Lorn',
      keywords: ['stone'],
      folder: { path: '/sent' },
    });
  });

  test('replace those of the file', async () => {
    const { body } = await send({
      source: dataUri(described),
      name: 'b.jpg',
      caption: 'New',
      credit: 'The Trust',
    });
    expect(body).toMatchObject({ caption: 'New', credit: 'The Trust', folder: { path: '/' } });
  });
});

describe("an address that can't be fetched", () => {
  test.each([
    ['data:image/jpeg;base64,%%%', {}, 'the data URI was not fetched: '],
    ['data:image/jpeg;base64,%%%', { name: 'dusk.jpg' }, 'dusk.jpg was not fetched: '],
    ['SITE/missing.jpg', {}, 'SITE/missing.jpg was not fetched: '],
  ])('%s %j is a verdict with the reason', async (source, more, message) => {
    const { status, body } = await send({ source: source.replace('SITE', site.url), ...more });
    expect(status).toBe(422);
    expect(body.verdict).toMatchObject({ outcome: 'refused', reasons: [{ code: 'address-failed' }] });
    expect(body.verdict.reasons[0].message).toContain(message.replace('SITE', site.url));
  });

  test('is named by its first 200 characters', async () => {
    const { body } = await send({ source: `${site.url}/${'x'.repeat(300)}` });
    expect(body.verdict.name.length).toBe(200);
  });
});

test('a file that is larger than any may be is refused with its size, whether it is stated or not', async () => {
  site.pages.set('/stated.bin', (_req, res) => res.end(Buffer.alloc(20_001)));
  site.pages.set('/unstated.bin', (_req, res) => {
    res.write(Buffer.alloc(10_000));
    res.end(Buffer.alloc(10_001));
  });
  for (const [path, words] of [
    ['stated', 'it has 20,001 bytes; the limit is 20,000 bytes'],
    ['unstated', 'it is larger than 20 kB'],
  ]) {
    const { status, body } = await send({ source: `${site.url}/${path}.bin`, folder: '/large' });
    expect(status).toBe(422);
    expect(body.verdict.reasons[0]).toMatchObject({
      code: 'address-failed',
      message: expect.stringContaining(words ?? ''),
    });
  }
  expect((await server.call('GET', `${api}/assets?folder=/large`)).body.total ?? 0).toBe(0);
});

test('sent again under the same key it is the same asset; another address under it is refused', async () => {
  const headers = { 'idempotency-key': 'source-once' };
  const first = await send({ source: dataUri(described), name: 'once.jpg', folder: '/once' }, headers);
  const again = await send({ source: dataUri(described), name: 'once.jpg', folder: '/once' }, headers);
  expect(again.body.id).toBe(first.body.id);
  expect((await server.call('GET', `${api}/assets?folder=/once`)).body.total).toBe(1);
  const other = await send({ source: dataUri(described), name: 'other.jpg', folder: '/once' }, headers);
  expect(other.body.code).toBe('key-reused');
});

describe('the operation of its own', () => {
  const fetchOne = (json: object, more: object = {}) =>
    server.call('POST', `${api}/assets/from-address`, { json, ...more });
  const named = (path: string) => server.call('GET', `${api}/assets?folder=${path}`);

  test('imports once, however often it is repeated with its key', async () => {
    const request = { source: 'data:text/plain,once', name: 'once.txt', folder: '/own' };
    const headers = { 'Idempotency-Key': 'own-1' };
    const answers = await Promise.all([fetchOne(request, { headers }), fetchOne(request, { headers })]);
    const again = await fetchOne(request, { headers });
    expect(again.status).toBe(201);
    for (const { status, body } of answers) if (status === 201) expect(body.id).toBe(again.body.id);
    expect((await named('/own')).body.total).toBe(1);
    const other = await fetchOne({ ...request, name: 'other.txt' }, { headers });
    expect([other.status, other.body.code]).toEqual([422, 'key-reused']);
  });

  test('is closed to strangers and to keys that only read, and takes neither files nor what it does not know', async () => {
    const request = { source: 'data:text/plain,a', folder: '/closed' };
    expect((await fetchOne(request, { key: null })).status).toBe(401);
    expect((await fetchOne(request, { key: await server.key(['library:read']) })).status).toBe(403);
    expect((await fetchOne({ ...request, colour: 'red' })).status).toBe(400);
    const body = new FormData();
    body.set('file', new Blob(['a']), 'a.txt');
    expect((await server.call('POST', `${api}/assets/from-address`, { body })).status).toBe(415);
    const refused = await fetchOne({ ...request, source: `data:text/plain,${'x'.repeat(20_001)}` });
    expect([refused.status, refused.body.verdict.reasons[0].code]).toEqual([422, 'too-large']);
    expect((await fetchOne({ ...request, source: `data:,${'x'.repeat(4_300_000)}` })).status).toBe(413);
    expect((await named('/closed')).status).toBe(404);
  });
});

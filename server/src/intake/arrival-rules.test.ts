import { execFileSync } from 'node:child_process';
import { readFile, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { Webhook } from 'standardwebhooks';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { checkSecret } from '../rules/custom-check.js';
import { api, bytes, callsOf, codes, collect } from '../testing/calls.js';
import { form, photo, startTestServer, type TestServer } from '../testing/harness.js';
import { type OutsideSite, startOutsideSite } from '../testing/outside-site.js';

let server: TestServer;
let outside: OutsideSite;
let site: string;
let pages: OutsideSite['pages'];
beforeAll(async () => {
  outside = await startOutsideSite();
  ({ url: site, pages } = outside);
  server = await startTestServer({ env: { UNIFERUM_ALLOWED_HOSTS: outside.host } });
});
afterAll(async () => {
  outside.close();
  await server.close();
});
const { assetsOf, setRules } = callsOf(() => server);

describe('rules on arrival', () => {
  test('"point" adds nothing and answers with the one there', async () => {
    await setRules('/point', { duplicates: 'reuse' });
    const send = (name: string) =>
      server.call('POST', `${api}/assets`, { body: form('/point', [{ name, data: bytes('only once') }]) });
    const first = (await send('a.txt')).body;
    const second = await send('b.txt');
    expect([second.status, second.body.id]).toEqual([201, first.id]);
    expect(await assetsOf('/point')).toHaveLength(1);
  });

  test('a custom check is asked with a signed request, and its word holds', async () => {
    const asked: { name: string }[] = [];
    const url = `${site}/check`;
    pages.set('/check', async (req, res) => {
      const body = (await collect(req)).toString();
      // The verifier of Standard Webhooks, as a receiver would use it.
      new Webhook(checkSecret(server.config, url)).verify(body, req.headers as Record<string, string>);
      const { data } = JSON.parse(body);
      asked.push(data);
      res.end(
        JSON.stringify({
          accept: data.name !== 'no.txt',
          message: data.name === 'no.txt' ? 'not this one' : null,
        }),
      );
    });
    await setRules('/checked', { check: { url, timeoutMs: 30_000, onFailure: 'refuse' } });
    const { body } = await server.call('POST', `${api}/assets`, {
      body: form('/checked', [
        { name: 'yes.txt', data: bytes('y') },
        { name: 'no.txt', data: bytes('n') },
      ]),
    });
    expect(
      body.results.map(({ verdict }: { verdict: { outcome: string; reasons: { code: string }[] } }) => [
        verdict.outcome,
        codes(verdict),
      ]),
    ).toEqual([
      ['accepted', ''],
      ['refused', 'custom-check'],
    ]);
    expect(asked.map(({ name }) => name)).toEqual(['yes.txt', 'no.txt']);
  });

  test("a custom check is told what a file is, and is not asked about one that can't be read", async () => {
    const asked: Record<string, unknown>[] = [];
    pages.set('/told', async (req, res) => {
      asked.push(JSON.parse((await collect(req)).toString()).data);
      res.end('{"accept":true,"message":null}');
    });
    await setRules('/told', { check: { url: `${site}/told`, timeoutMs: 30_000, onFailure: 'refuse' } });
    const broken = Buffer.concat([Buffer.from([0xff, 0xd8, 0xff]), Buffer.alloc(50)]);
    await server.call('POST', `${api}/assets`, {
      body: form('/told', [
        { name: 'a.jpg', data: await photo(90, 60) },
        { name: 'a.txt', data: bytes('told') },
        { name: 'broken.jpg', data: broken },
      ]),
    });
    // They are examined side by side.
    asked.sort((a, b) => (String(a.name) < String(b.name) ? -1 : 1));
    expect(asked).toMatchObject([
      { name: 'a.jpg', folder: '/told', mime: 'image/jpeg', width: 90, height: 60 },
      { name: 'a.txt', folder: '/told', mime: 'text/plain', bytes: 4, width: null, height: null },
    ]);
  });

  test.each([
    ['refuse', 422],
    ['accept', 201],
  ])('without an answer in time the fallback holds: %s', async (onFailure, status) => {
    pages.set('/silent', () => {});
    await setRules(`/silent-${onFailure}`, { check: { url: `${site}/silent`, timeoutMs: 150, onFailure } });
    const answer = await server.call('POST', `${api}/assets`, {
      body: form(`/silent-${onFailure}`, [{ name: 'a.txt', data: bytes(onFailure) }]),
    });
    expect(answer.status).toBe(status);
    expect(answer.body.verdict.reasons[0].message).toContain('150 ms');
  });

  test('a change is rehearsed with what it would put outside', async () => {
    await server.call('POST', `${api}/assets`, {
      body: form('/rehearse-rules', [
        { name: 'a.txt', data: bytes('1234567890') },
        { name: 'b.txt', data: bytes('12') },
      ]),
    });
    const folders = (await server.call('GET', `${api}/folders?within=/rehearse-rules`)).body.items;
    const { body } = await server.call('PUT', `${api}/folders/${folders[0].id}/rules?rehearse=true`, {
      json: { maxBytes: 5 },
    });
    expect(body.plan.totals).toEqual({ present: 2, outside: 1, outsideNow: 0, byCode: { 'too-large': 1 } });
    expect((await server.call('GET', `${api}/folders/${folders[0].id}/rules`)).body.own.maxBytes).toBeNull();
  });

  test('which field fills which text can be set', async () => {
    const mapping = (await server.call('GET', `${api}/settings/metadata`)).body;
    await server.call('PUT', `${api}/settings/metadata`, {
      json: { ...mapping, alt: ['exif:imageDescription'] },
    });
    const file = join(server.inbox, '..', 'mapped.jpg');
    await writeFile(file, await photo(40, 30, 77));
    execFileSync('exiftool', ['-q', '-overwrite_original', '-EXIF:ImageDescription=A tower in fog', file]);
    const { body } = await server.call('POST', `${api}/assets`, {
      body: form('/mapped', [{ name: 'a.jpg', data: await readFile(file) }]),
    });
    expect(body).toMatchObject({ alt: 'A tower in fog', caption: 'A tower in fog' });
    await server.call('PUT', `${api}/settings/metadata`, { json: mapping });
    const wrong = await server.call('PUT', `${api}/settings/metadata`, {
      json: { ...mapping, title: ['exif:dateTimeOriginal'] },
    });
    expect(wrong.status).toBe(400);
  });

  test('a folder tree comes in one request: a field holds for the files after it', async () => {
    const body = new FormData();
    for (const [folder, name] of [
      ['/tree/a', '1.txt'],
      ['/tree/b/c', '2.txt'],
    ] as const) {
      body.append('folder', folder);
      body.append('file', new Blob([`${folder}${name}`]), name);
    }
    await server.call('POST', `${api}/assets`, { body });
    expect((await assetsOf('/tree')).map(({ folder, name }) => `${folder.path}/${name}`)).toEqual([
      '/tree/a/1.txt',
      '/tree/b/c/2.txt',
    ]);
  });
});

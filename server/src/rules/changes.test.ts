import { NO_RULES, resolveRules } from '@uniferum/core/rules';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import type { AssetChange } from '../library/joints.js';
import { inTransaction } from '../shared/database.js';
import { api, collect } from '../testing/calls.js';
import { form, startTestServer, type TestServer } from '../testing/harness.js';
import { type OutsideSite, startOutsideSite } from '../testing/outside-site.js';
import { type CheckSubject, Checks } from './checks.js';
import { rulesGuard } from './guard.js';

let server: TestServer;
let outside: OutsideSite;
beforeAll(async () => {
  outside = await startOutsideSite();
  outside.pages.set('/check', async (req, res) => {
    await collect(req);
    res.end('{"accept": false, "message": "not today"}');
  });
  server = await startTestServer({ env: { UNIFERUM_ALLOWED_HOSTS: outside.host } });
});
afterAll(async () => {
  outside.close();
  await server.close();
});

const call = (method: string, path: string, json?: unknown) =>
  server.call(method, `${api}${path}`, json === undefined ? {} : { json });
async function send(folder: string, name: string, content: string): Promise<string> {
  const { status, body } = await server.call('POST', `${api}/assets`, {
    body: form(folder, [{ name, data: Buffer.from(content) }]),
  });
  expect(status).toBe(201);
  return body.id;
}
const replace = (id: string, content: string) =>
  server.call('PUT', `${api}/assets/${id}/content`, { body: new Uint8Array(Buffer.from(content)) });
async function setRules(path: string, rules: object): Promise<void> {
  const { items } = (await call('GET', `/folders?within=${path}&limit=1`)).body;
  expect((await call('PUT', `/folders/${items[0].id}/rules`, rules)).status).toBe(200);
}
const codesOf = ({ body }: { body: { verdict?: { reasons: { code: string }[] } } }) =>
  body.verdict?.reasons.map(({ code }) => code);

describe('a file that broke the rules before they held', () => {
  const RULES = { requireTexts: ['alt', 'title'], deny: ['exe', 'bat'], maxBytes: 100, maxItems: 0 };
  async function present(folder: string): Promise<string> {
    const id = await send(folder, 'old.exe', folder.repeat(30));
    await call('PATCH', `/assets/${id}`, { title: 'Old' });
    await setRules(folder, RULES);
    return id;
  }

  test('gets other texts, but loses none that is required', async () => {
    const id = await present('/before/texts');
    expect((await call('PATCH', `/assets/${id}`, { caption: 'At dusk' })).status).toBe(200);
    expect((await call('PATCH', `/assets/${id}`, { alt: '' })).status).toBe(200);
    const refused = await call('PATCH', `/assets/${id}`, { title: '' });
    expect([refused.status, codesOf(refused)]).toEqual([422, ['text-missing']]);
    expect((await call('GET', `/assets/${id}`)).body.title).toBe('Old');
  });

  test('gets another name of a kind that is as bad, or better', async () => {
    const id = await present('/before/name');
    expect((await call('PATCH', `/assets/${id}`, { name: 'older.exe' })).status).toBe(200);
    expect((await call('PATCH', `/assets/${id}`, { name: 'older.txt' })).status).toBe(200);
    const refused = await call('PATCH', `/assets/${id}`, { name: 'older.exe' });
    expect([refused.status, codesOf(refused)]).toEqual([422, ['type-denied']]);
  });

  test('gets other content that fits: neither its place nor what it lacks counts', async () => {
    const id = await present('/before/content');
    expect(codesOf(await replace(id, 'short'))).toEqual(['type-denied']);
    await call('PATCH', `/assets/${id}`, { name: 'old.txt' });
    expect((await replace(id, 'short')).status).toBe(200);
    const refused = await replace(id, 'long '.repeat(40));
    expect([refused.status, codesOf(refused)]).toEqual([422, ['too-large']]);
    expect((await call('GET', `/assets/${id}`)).body.bytes).toBe(5);
  });

  test('goes to the bin, and for good', async () => {
    const id = await present('/before/bin');
    expect((await call('DELETE', `/assets/${id}`)).status).toBeLessThan(300);
    expect((await call('POST', '/bin/empty', {})).status).toBe(202);
    await server.workUntilIdle();
    expect((await call('GET', `/assets/${id}`)).status).toBe(404);
  });
});

test('what leaves is not judged', async () => {
  const guard = rulesGuard(server.config);
  const changes = [{ kind: 'bin' }, { kind: 'purge' }] as unknown as AssetChange[];
  expect(await inTransaction(server.db, (tx) => guard.judge(tx, changes, new Checks()))).toEqual([]);
});

describe('where duplicates are refused', () => {
  test("new content is refused that another file has; the file's own is none", async () => {
    const [one, two] = [await send('/twins/a', 'a.txt', 'first'), await send('/twins/b', 'b.txt', 'second')];
    await setRules('/twins/a', { duplicates: 'refuse' });
    expect((await replace(one, 'first')).status).toBeLessThan(300);
    const refused = await replace(one, 'second');
    expect([refused.status, codesOf(refused)]).toEqual([422, ['duplicate']]);
    expect((await replace(two, 'third')).status).toBe(200);
    expect((await replace(one, 'second')).status).toBe(200);
  });

  test('a file moves in that has no twin, and one that has only itself', async () => {
    const [alone, twin] = [
      await send('/coming', 'alone.txt', 'alone'),
      await send('/coming', 'twin.txt', 'twin'),
    ];
    await send('/strict-twins', 'there.txt', 'twin');
    await setRules('/strict-twins', { duplicates: 'refuse' });
    expect((await call('PATCH', `/assets/${alone}`, { folder: '/strict-twins' })).status).toBe(200);
    const refused = await call('PATCH', `/assets/${twin}`, { folder: '/strict-twins' });
    expect([refused.status, codesOf(refused)]).toEqual([422, ['duplicate']]);
  });

  test('and only warned of, the content is taken, and the warning told', async () => {
    await send('/warned', 'a.txt', 'the same');
    const id = await send('/warned', 'b.txt', 'another');
    await setRules('/warned', { duplicates: 'warn' });
    const taken = await replace(id, 'the same');
    expect(taken.status).toBe(200);
    expect(JSON.stringify(taken.body)).toContain('duplicate');
    // A move tells nothing of it: the file was one before.
    const moved = await call('PATCH', `/assets/${id}`, { folder: '/warned/deep' });
    expect(moved.status).toBe(200);
  });
});

test('a check that refuses says why, and what was there stays', async () => {
  const id = await send('/checked', 'a.txt', 'there before');
  const other = await send('/unchecked', 'b.txt', 'elsewhere');
  await setRules('/checked', { check: { url: `${outside.url}/check`, onFailure: 'accept' } });
  for (const refused of [
    await replace(id, 'instead'),
    await call('PATCH', `/assets/${other}`, { folder: '/checked' }),
  ]) {
    expect([refused.status, codesOf(refused)]).toEqual([422, ['custom-check']]);
    expect(refused.body.detail).toContain('not today');
  }
  expect((await call('PATCH', `/assets/${id}`, { title: 'There' })).status).toBe(200);
});

describe('the answer of a check', () => {
  const row = {
    ...{ name: 'a.txt', bytes: 5, mime: 'text/plain', sha256: 'a'.repeat(64), width: null, height: null },
    ...{ title: null, alt: null, caption: null, credit: null, keywords: '[]' },
  } as CheckSubject['row'];
  const subject: CheckSubject = { row, name: 'a.txt', folder: '/lights' };
  const check = { url: 'http://127.0.0.1:9/check', timeoutMs: 1000, onFailure: 'accept' } as const;
  const rulesWith = (url: string | null) =>
    resolveRules([
      { path: '/lights', rules: { ...NO_RULES, check: url === null ? null : { ...check, url } } },
    ]);

  test('is that for this file, in this place, by this check', async () => {
    const checks = new Checks();
    // It can't be reached, and the rule then accepts.
    await checks.ask({ allowedHosts: new Set(), masterKey: 'k' } as never, check, [subject]);
    expect(checks.answerFor(rulesWith(check.url), subject)).toMatchObject({
      isAccepted: true,
      isAnswer: false,
    });
    expect(checks.answerFor(rulesWith(null), subject)).toBeUndefined();
    for (const [rules, about] of [
      [rulesWith('http://127.0.0.1:9/other'), subject],
      [rulesWith(check.url), { ...subject, name: 'b.txt' }],
      [rulesWith(check.url), { ...subject, folder: '/elsewhere' }],
      [rulesWith(check.url), { ...subject, row: { ...row, title: 'Dusk' } }],
    ] as const)
      expect(() => checks.answerFor(rules, about)).toThrow('was changed during the check');
  });
});

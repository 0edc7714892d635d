import { request } from 'node:http';
import { afterAll, beforeAll, expect, test } from 'vitest';
import { eventually, form, photo, startTestServer, type TestServer } from '../testing/harness.js';

let server: TestServer;
let id: string;
beforeAll(async () => {
  server = await startTestServer({ env: { UNIFERUM_STRANGER_RENDERS: '6' } });
  id = (
    await server.call('POST', '/api/v1/assets', {
      body: form('/strangers', [{ name: 'large.jpg', data: await photo(3000, 2000) }]),
    })
  ).body.id;
});
afterAll(() => server.close());

/** A part of the picture, each another one. */
const part = (n: number) => `/iiif/3/${id}/${n},${n},2000,1500/1500,/0/default.webp`;

/** Asks from an address, as a proxy in front passes it on. */
function ask(
  path: string,
  source: string,
): { answer: Promise<{ status: number; retryAfter: string | null }>; leave(): void } {
  const { hostname, port } = new URL(server.url);
  const outgoing = request({ hostname, port, path, agent: false, headers: { 'X-Forwarded-For': source } });
  const answer = new Promise<{ status: number; retryAfter: string | null }>((resolve) => {
    outgoing.on('response', (res) => {
      res.resume();
      const retryAfter = res.headers['retry-after'] ?? null;
      res.on('end', () => resolve({ status: res.statusCode ?? 0, retryAfter }));
    });
    outgoing.on('error', () => resolve({ status: 0, retryAfter: null }));
  });
  outgoing.end();
  return { answer, leave: () => outgoing.destroy() };
}

test("two hundred of a stranger don't keep somebody with a key waiting, nor another stranger", async () => {
  const flood = Array.from({ length: 200 }, (_, n) => ask(part(n), '203.0.113.20'));
  const ended: number[] = [];
  for (const one of flood) one.answer.then(({ status }) => ended.push(status));
  await eventually(async () => ended.includes(429));
  const known = await server.call('GET', part(500));
  expect(known.status).toBe(200);
  expect((await ask(part(501), '198.51.100.7').answer).status).toBe(200);
  const answers = await Promise.all(flood.map(({ answer }) => answer));
  // Who is turned away is told when to come again.
  const kinds = answers.map(({ status, retryAfter }) => `${status} ${retryAfter}`);
  // How long depends on how long the pictures before took.
  expect([...new Set(kinds.map((kind) => kind.replace(/^429 [12]$/, '429 soon')))].sort()).toEqual([
    '200 null',
    '429 soon',
  ]);
  const again = await server.call('GET', part(0), {
    key: null,
    headers: { 'X-Forwarded-For': '203.0.113.20' },
  });
  expect(again.status).toBe(200);
});

test('what a stranger has left is not made any more', async () => {
  const begun = Array.from({ length: 6 }, (_, n) => ask(part(800 + n), '203.0.113.22'));
  await eventually(async () => server.processes.rendering.strangersPool.queued > 0);
  for (const one of begun) one.leave();
  await eventually(async () => server.processes.rendering.strangersPool.queued === 0);
  expect((await ask(part(900), '203.0.113.22').answer).status).toBe(200);
});

test('the pool takes turns between those who wait', async () => {
  const one = Array.from({ length: 6 }, (_, n) => ask(part(1000 + n), '203.0.113.23'));
  await eventually(async () => server.processes.rendering.strangersPool.queued >= 3);
  const order: string[] = [];
  for (const { answer } of one) void answer.then(() => order.push('first'));
  const other = ask(part(1100), '203.0.113.24');
  void other.answer.then(() => order.push('second'));
  await Promise.all([...one.map(({ answer }) => answer), other.answer]);
  expect(order.indexOf('second')).toBeLessThan(order.length - 1);
});

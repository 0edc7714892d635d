import { afterAll, beforeAll, expect, test } from 'vitest';
import { api, bytes, callsOf } from '../testing/calls.js';
import { form, startTestServer, type TestServer } from '../testing/harness.js';
import { intakeFlow } from './flow.js';

let server: TestServer;
beforeAll(async () => {
  server = await startTestServer();
});
afterAll(async () => {
  await server.close();
});
const { setRules } = callsOf(() => server);

test('uploads are shown before anything has arrived; other sources once they were used', async () => {
  const read = async () => {
    const { sources, verdicts } = (await intakeFlow.read(server.services)) as {
      sources: { from: string; amount: { items: number; bytes: number } }[];
      verdicts: object;
    };
    return { sources: sources.map(({ from, amount }) => [from, amount.items, amount.bytes]), verdicts };
  };
  expect(await read()).toEqual({
    sources: [
      ['console', 0, 0],
      ['script', 0, 0],
    ],
    verdicts: { accepted: 0, warned: 0, refused: 0 },
  });
  await setRules('/flow', { deny: ['exe'] });
  await server.call('POST', `${api}/assets`, {
    body: form('/flow', [
      { name: 'a.txt', data: bytes('abc') },
      { name: 'b.txt', data: bytes('abc') },
      { name: 'c.exe', data: bytes('c') },
    ]),
  });
  await server.call('POST', `${api}/assets`, { json: { source: 'data:,fog', folder: '/flow' } });
  const { sources, verdicts } = await read();
  expect(verdicts).toEqual({ accepted: 2, warned: 1, refused: 1 });
  expect(sources).toContainEqual(['script', 2, 6]);
  expect(sources).toContainEqual(['console', 0, 0]);
  // Only what was used is added to these two.
  const others = sources.filter(([from]) => from !== 'console' && from !== 'script');
  expect(others.map(([, items, size]) => [items, size])).toEqual([[1, 3]]);
});

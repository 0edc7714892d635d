import type { IncomingMessage, ServerResponse } from 'node:http';
import { setImmediate as turn } from 'node:timers/promises';
import { expect, test } from 'vitest';
import { asksForHealth, inTurn } from './turnstile.js';

/** Keeps the processor busy for longer than a turn lasts. */
function work(): void {
  for (const until = performance.now() + 6; performance.now() < until; );
}

function open(handle = work) {
  const begun: string[] = [];
  const listener = inTurn((req) => {
    begun.push(req.url ?? '');
    handle();
  }, asksForHealth);
  const send = (url: string, { hasGone = false } = {}) =>
    listener(
      { url, destroyed: false } as IncomingMessage,
      { destroyed: hasGone } as ServerResponse<IncomingMessage> & { req: IncomingMessage },
    );
  const all = async (count: number) => {
    while (begun.length < count) await turn();
  };
  return { begun, send, all };
}

const URLS = Array.from({ length: 30 }, (_, n) => `/${n}`);

test('requests are begun in their order, and everything else has its turn between them', async () => {
  const { begun, send, all } = open();
  for (const url of URLS) send(url);
  expect(begun).toEqual([]);
  await turn();
  expect(begun.length).toBeLessThan(5);
  await all(URLS.length);
  expect(begun).toEqual(URLS);
});

test('whoever asks for the health is looked at at once', async () => {
  const { begun, send, all } = open();
  for (const url of URLS) send(url);
  send('/health');
  expect(begun).toEqual(['/health']);
  await all(URLS.length + 1);
  expect(begun).toEqual(['/health', ...URLS]);
});

test('short ones are begun many at a time', async () => {
  const { begun, send } = open(() => {});
  for (const url of URLS) send(url);
  await turn();
  expect(begun).toEqual(URLS);
});

test('whoever has gone while waiting is passed over', async () => {
  const { begun, send, all } = open();
  send('/first');
  send('/gone', { hasGone: true });
  send('/last');
  await all(2);
  await turn();
  expect(begun).toEqual(['/first', '/last']);
});

test.each([
  ['/health', true],
  ['/health/live', true],
  ['/api/v1/health?x=1', true],
  ['/healthy', false],
  ['/media/health', false],
  ['/', false],
])('%s asks for the health: %s', (url, expected) => {
  expect(asksForHealth(url)).toBe(expected);
});

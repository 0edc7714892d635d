import type { HistoryEvent } from '@uniferum/core';
import fc from 'fast-check';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { eventually, startTestServer, type TestServer } from '../testing/harness.js';
import { OutboxReader } from './outbox-reader.js';

const event = (id: number): HistoryEvent => ({
  id: String(id),
  type: 'asset.changed',
  at: '',
  by: '',
  data: {},
});

describe('OutboxReader', () => {
  test('gives every event exactly once, whatever the order in which transactions commit', () => {
    const interleaving = fc
      .integer({ min: 1, max: 25 })
      .chain((count) =>
        fc.tuple(
          fc.shuffledSubarray(Array.from({ length: count }, (_, n) => n + 1)),
          fc.array(fc.nat(3), { minLength: 40, maxLength: 40 }),
        ),
      );
    fc.assert(
      fc.property(interleaving, ([commits, pauses]) => {
        const reader = new OutboxReader(0);
        const visible = new Set<number>();
        const given: number[] = [];
        const read = (nowMs: number) => {
          const rows = [...visible].filter((id) => id > reader.floor).sort((a, b) => a - b);
          given.push(...reader.take(rows.map(event), nowMs).map(({ id }) => Number(id)));
        };
        commits.forEach((id, step) => {
          visible.add(id);
          for (let n = 0; n < (pauses[step] ?? 0); n += 1) read(step * 100);
        });
        read(9000);
        expect(given.sort((a, b) => a - b)).toEqual([...commits].sort((a, b) => a - b));
      }),
    );
  });

  test('goes past an id that was rolled back, after a while', () => {
    const reader = new OutboxReader(0);
    reader.take([event(1), event(3)], 0);
    expect(reader.floor).toBe(1);
    reader.take([event(3)], 20_000);
    expect(reader.floor).toBe(3);
  });
});

describe('the live stream', () => {
  let server: TestServer;
  beforeAll(async () => {
    server = await startTestServer();
  });
  afterAll(() => server.close());

  async function listen(headers: Record<string, string> = {}) {
    const abort = new AbortController();
    const response = await fetch(`${server.url}/api/v1/events`, {
      headers: { Authorization: `Bearer ${await server.key()}`, ...headers },
      signal: abort.signal,
    });
    let text = '';
    const reading = (async () => {
      for await (const part of response.body ?? []) text += Buffer.from(part).toString();
    })().catch(() => {});
    return {
      type: response.headers.get('content-type'),
      text: () => text,
      close: async () => {
        abort.abort();
        await reading;
      },
    };
  }

  test('tells what happens, and goes on where it broke off', async () => {
    const stream = await listen();
    expect(stream.type).toMatch(/^text\/event-stream/);
    await server.call('POST', '/api/v1/folders', { json: { path: '/heard' } });
    await eventually(async () => stream.text().includes('event: folder.created'));
    const id = /id: (\d+)\nevent: folder\.created/.exec(stream.text())?.[1] ?? '';
    await stream.close();
    await server.call('POST', '/api/v1/folders', { json: { path: '/missed' } });
    const again = await listen({ 'Last-Event-ID': id });
    await eventually(async () => again.text().includes('"path":"/missed"'));
    expect(again.text()).not.toContain('"path":"/heard"');
    await again.close();
  });
});

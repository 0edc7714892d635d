import { createServer, get as httpGet, type IncomingMessage } from 'node:http';
import type { AddressInfo } from 'node:net';
import { ALL_RIGHTS, type Right } from '@uniferum/core/access';
import type { Response } from 'express';
import fc from 'fast-check';
import { afterAll, beforeAll, describe, expect, test, vi } from 'vitest';
import { recipeChanged } from '../recipes/events.js';
import { rulesChanged } from '../rules/events.js';
import { runChanged, runCreated, runEnded } from '../runs/events.js';
import { changeExpanded, inTransaction, type Transaction } from '../shared/database.js';
import type { Principal } from '../shared/principal.js';
import { eventually, startTestServer, type TestServer } from '../testing/harness.js';
import type { EventType } from './event-type.js';
import { readEventsAfter, recordEvent, recordEvents, sequenceEvents } from './outbox.js';
import { EventStream } from './stream.js';

let server: TestServer;
beforeAll(async () => {
  server = await startTestServer();
});
afterAll(() => server.close());

/** Begins a transaction that tells of something; it commits or takes it back when it is let. */
async function tell(marker: string): Promise<(isKept: boolean) => Promise<void>> {
  let begun: () => void = () => {};
  const isBegun = new Promise<void>((resolve) => {
    begun = resolve;
  });
  let end: (isKept: boolean) => void = () => {};
  const isEnding = new Promise<boolean>((resolve) => {
    end = resolve;
  });
  const done = inTransaction(server.db, async (tx: Transaction) => {
    await recordEvent(tx, { event: rulesChanged, by: 'test', data: { marker } });
    begun();
    if (!(await isEnding)) throw new Error('taken back');
  }).catch((error) => {
    if (error.message !== 'taken back') throw error;
  });
  await isBegun;
  return async (isKept) => {
    end(isKept);
    await done;
  };
}

test('whoever follows the numbers gets every event once, in whatever order transactions commit', async () => {
  await fc.assert(
    fc.asyncProperty(
      fc.integer({ min: 1, max: 8 }).chain((count) =>
        fc.tuple(
          fc.shuffledSubarray(
            Array.from({ length: count }, (_, n) => n),
            { minLength: count },
          ),
          fc.array(fc.boolean(), { minLength: count, maxLength: count }),
          fc.array(fc.boolean(), { minLength: count, maxLength: count }),
        ),
      ),
      async ([order, kept, readsBetween]) => {
        let position = await sequenceEvents(server.db);
        const ends = [];
        for (const n of kept.keys()) ends.push(await tell(`event ${n}`));
        const given: unknown[] = [];
        const read = async () => {
          await sequenceEvents(server.db);
          for (const event of await readEventsAfter(server.db, position, 100)) {
            expect(event.seq).toBe(position + 1);
            position = event.seq;
            given.push(event.data.marker);
          }
        };
        for (const [step, n] of order.entries()) {
          await ends[n]?.(kept[n] === true);
          if (readsBetween[step]) await read();
        }
        await read();
        const expected = order.filter((n) => kept[n]).map((n) => `event ${n}`);
        expect([...given].sort()).toEqual([...expected].sort());
      },
    ),
    { numRuns: 25 },
  );
});

test('two servers that number events at a time give each one number', async () => {
  const before = await sequenceEvents(server.db);
  await recordEvents(
    server.db,
    Array.from({ length: 5000 }, (_, n) => ({ event: rulesChanged, by: 'test', data: { n } })),
  );
  const newest = await Promise.all([1, 2, 3, 4].map(() => sequenceEvents(server.db)));
  expect(Math.max(...newest)).toBe(before + 5000);
  const [rows] = await server.db.query<{ low: number; high: number; n: number }[]>(
    'SELECT MIN(seq) AS low, MAX(seq) AS high, COUNT(DISTINCT seq) AS n FROM events WHERE seq > ?',
    [before],
  );
  expect(rows[0]).toEqual({ low: before + 1, high: before + 5000, n: 5000 });
});

describe('the live stream', () => {
  interface Stream {
    status: number;
    text(): string;
    /** The numbers that came, in their order. */
    ids(): number[];
    pause(): void;
    resume(): void;
    isOver(): boolean;
    close(): void;
  }

  async function listen({
    key,
    after,
    isPaused = false,
  }: {
    key?: string;
    after?: number | string;
    isPaused?: boolean;
  } = {}): Promise<Stream> {
    const secret = key ?? (await server.key());
    const response = await new Promise<IncomingMessage>((resolve, reject) => {
      httpGet(
        `${server.url}/api/v1/events`,
        {
          headers: {
            Authorization: `Bearer ${secret}`,
            ...(after !== undefined && { 'Last-Event-ID': String(after) }),
          },
        },
        resolve,
      ).on('error', reject);
    });
    let text = '';
    let isOver = false;
    if (!isPaused)
      response.on('data', (piece) => {
        text += piece;
      });
    response.on('close', () => {
      isOver = true;
    });
    response.on('error', () => {});
    return {
      status: response.statusCode ?? 0,
      text: () => text,
      ids: () => [...text.matchAll(/^id: (\d+)$/gm)].map(([, id]) => Number(id)),
      pause: () => response.pause(),
      resume: () => {
        response.on('data', (piece) => {
          text += piece;
        });
      },
      isOver: () => isOver,
      close: () => response.destroy(),
    };
  }

  test('tells what happens, and goes on where it broke off', async () => {
    const stream = await listen();
    await server.call('POST', '/api/v1/folders', { json: { path: '/heard' } });
    await eventually(async () => stream.text().includes('event: folder.created'));
    const id = /id: (\d+)\nevent: folder\.created/.exec(stream.text())?.[1] ?? '';
    stream.close();
    await server.call('POST', '/api/v1/folders', { json: { path: '/missed' } });
    const again = await listen({ after: id });
    await eventually(async () => again.text().includes('"path":"/missed"'));
    expect(again.text()).not.toContain('"path":"/heard"');
    again.close();
  });

  test('delivers thousands that were missed, all of them in order, and then what is new', async () => {
    const before = await sequenceEvents(server.db);
    await recordEvents(
      server.db,
      Array.from({ length: 4321 }, (_, n) => ({ event: rulesChanged, by: 'test', data: { n } })),
    );
    const stream = await listen({ after: before });
    await server.call('POST', '/api/v1/folders', { json: { path: '/after-thousands' } });
    await eventually(async () => stream.text().includes('/after-thousands'));
    expect(stream.ids()).toEqual(Array.from({ length: stream.ids().length }, (_, n) => before + 1 + n));
    expect(stream.ids().length).toBeGreaterThanOrEqual(4322);
    stream.close();
  });

  test("waits for a listener that does not read, and others don't wait for it", async () => {
    const before = await sequenceEvents(server.db);
    const slow = await listen({ after: before, isPaused: true });
    const quick = await listen({ after: before });
    const big = 'x'.repeat(20_000);
    for (let batch = 0; batch < 20; batch += 1)
      await recordEvents(
        server.db,
        Array.from({ length: 100 }, () => ({ event: rulesChanged, by: 'test', data: { big } })),
      );
    await eventually(async () => quick.ids().length === 2000);
    // 40 MB were told; what the slow one doesn't take stays in the database.
    const unsent = [...server.sockets()].reduce((sum, { writableLength }) => sum + writableLength, 0);
    expect(unsent).toBeLessThan(2_000_000);
    slow.resume();
    await eventually(async () => slow.ids().length === 2000);
    expect(slow.ids()).toEqual(quick.ids());
    slow.close();
    quick.close();
  });

  test.each<[Right[], string[], string[]]>([
    [['library:read'], ['/for-rights'], ['run.changed', 'recipe.changed']],
    [['runs:read'], ['run.changed'], ['/for-rights', 'recipe.changed']],
    [['recipes:read', 'runs:read'], ['run.changed', 'recipe.changed'], ['/for-rights']],
  ])('a key with %j is told what it may read', async (rights, told, kept) => {
    const stream = await listen({ key: await server.key(rights) });
    await server.call('POST', '/api/v1/folders', {
      json: { path: `/for-rights-${told.length}${kept.length}` },
    });
    await recordEvent(server.db, { event: runChanged, by: 'test', data: {} });
    await recordEvent(server.db, { event: recipeChanged, by: 'test', data: {} });
    await eventually(async () => told.every((word) => stream.text().includes(word)));
    for (const word of kept) expect(stream.text()).not.toContain(word);
    stream.close();
  });

  test('a key that may read nothing of it, and a position that none had, are refused', async () => {
    expect((await listen({ key: await server.key(['keys:write']) })).status).toBe(403);
    expect((await listen({ after: 'yesterday' })).status).toBe(400);
    expect((await listen({ key: 'uf_none' })).status).toBe(401);
  });

  test('a position from beyond the newest event begins now', async () => {
    const stream = await listen({ after: 999_999_999 });
    await server.call('POST', '/api/v1/folders', { json: { path: '/beyond' } });
    await eventually(async () => stream.text().includes('/beyond'));
    stream.close();
  });

  test('is not begun for somebody who has disconnected meanwhile', async () => {
    const events = new EventStream(server.db, server.services.log, server.house.plugged, { checkMs: 0 });
    const gone = { destroyed: true, writeHead: vi.fn(), write: vi.fn(), on: vi.fn(), end: vi.fn() };
    await events.listen(gone as never, { who: async () => null, rights: ALL_RIGHTS, lastEventId: null });
    expect(gone.writeHead).not.toHaveBeenCalled();
    events.close();
    expect(gone.end).not.toHaveBeenCalled();
  });

  test('ends when the key is revoked, and tells no more of what a right was taken for', async () => {
    const events = new EventStream(server.db, server.services.log, server.house.plugged, { checkMs: 0 });
    let asked = 0;
    let who: Principal | null = { kind: 'key', id: '1', ref: 'key:1', name: 'Test', rights: ALL_RIGHTS };
    const listening = createServer((_req, res) =>
      events.listen(res as Response, {
        who: async () => {
          asked += 1;
          return who;
        },
        rights: ALL_RIGHTS,
        lastEventId: null,
      }),
    );
    await new Promise<void>((resolve) => listening.listen(0, '127.0.0.1', resolve));
    const response = await new Promise<IncomingMessage>((resolve) =>
      httpGet(`http://127.0.0.1:${(listening.address() as AddressInfo).port}`, resolve),
    );
    let text = '';
    let isOver = false;
    response.on('data', (piece) => {
      text += piece;
    });
    response.on('end', () => {
      isOver = true;
    });
    const record = (event: EventType) => recordEvent(server.db, { event, by: 'test', data: {} });
    await record(runCreated);
    await eventually(async () => text.includes('run.created'));
    who = { ...who, rights: ['library:read'] };
    const before = asked;
    await eventually(async () => asked > before + 1);
    await record(runEnded);
    await record(rulesChanged);
    await eventually(async () => text.includes('rules.changed'));
    expect(text).not.toContain('run.ended');
    who = null;
    await eventually(async () => isOver);
    events.close();
    listening.close();
  });

  test('goes on after a while in which the database could not be read', async () => {
    const stream = await listen();
    await changeExpanded(server.db, 'RENAME TABLE events TO events_away', []);
    await server.call('POST', '/api/v1/folders', { json: { path: '/lost' } });
    await changeExpanded(server.db, 'RENAME TABLE events_away TO events', []);
    await server.call('POST', '/api/v1/folders', { json: { path: '/found-again' } });
    await eventually(async () => stream.text().includes('/found-again'));
    expect(stream.isOver()).toBe(false);
    stream.close();
  });
});

import { pino } from 'pino';
import { afterAll, beforeAll, beforeEach, describe, expect, test } from 'vitest';
import { change, inTransaction, select } from '../shared/database.js';
import { UniferumError } from '../shared/errors.js';
import { startTestServer, type TestServer } from '../testing/harness.js';
import { clearRuns, startTestRun } from '../testing/test-run.js';
import { endItemWith, giveUpItem, holdWithRun, recoverExpiredItems, returnToRun } from './end-item.js';
import type { ItemResult, RunHandler } from './handler.js';
import { type ClaimedItem, claimItems } from './lease-queries.js';
import { findRun } from './queries.js';

const LOG = pino({ level: 'silent' });
let server: TestServer;
beforeAll(async () => {
  server = await startTestServer();
});
afterAll(() => server.close());
beforeEach(() => clearRuns(server));

/** A run of two items, of which the first is claimed. */
async function claimOne(): Promise<{ id: string; item: ClaimedItem }> {
  const id = await startTestRun(server, 2);
  const claim = { limit: 1, token: 'ours', worker: 'w', leaseMs: 60_000 };
  const [item] = await inTransaction(server.db, (tx) =>
    claimItems(tx, { id: Number(id), kind: 'test' }, claim),
  );
  if (!item) throw new Error('Expected an item');
  return { id, item };
}
const runOf = async (id: string) => findRun(server.db, id);
const itemsOf = (id: string) =>
  select<{ state: string; attempts: number; error: string | null; note: string | null }>(
    server.db,
    'SELECT state, attempts, error, note FROM run_items WHERE run_id = ? ORDER BY id',
    [id],
  );
const setRun = (id: string, state: string) =>
  change(server.db, 'UPDATE runs SET state = ? WHERE id = ?', [state, id]);
const lose = () => change(server.db, "UPDATE run_items SET token = 'theirs' WHERE token = 'ours'");
const handlerThat = (giveUp: RunHandler<unknown>['giveUp']): RunHandler<unknown> => ({
  work: () => Promise.reject(new Error('not now')),
  ...(giveUp && { giveUp }),
});

describe('the end of an item', () => {
  const end = (item: ClaimedItem, result: ItemResult) =>
    inTransaction(server.db, (tx) => endItemWith(tx, item, result));

  test.each([
    [{}, { done: 5, skipped: 0, failed: 0 }],
    [{ done: 3 }, { done: 3, skipped: 0, failed: 0 }],
    [{ skipped: 2 }, { done: 0, skipped: 2, failed: 0 }],
    [{ failed: 4 }, { done: 0, skipped: 0, failed: 4 }],
    [{ done: 0 }, { done: 0, skipped: 0, failed: 0 }],
    [
      { done: 1, skipped: 2, failed: 2 },
      { done: 1, skipped: 2, failed: 2 },
    ],
  ])('that records %j counts %j', async (recorded, counts) => {
    const { id, item } = await claimOne();
    await end({ ...item, weight: 5 }, { outcome: 'done', record: async () => recorded });
    expect(await runOf(id)).toMatchObject(counts);
  });

  test.each(['done', 'skipped', 'failed'] as const)('that is %s counts its weight', async (outcome) => {
    const { id, item } = await claimOne();
    await end({ ...item, weight: 5 }, { outcome, note: 'a note', error: 'an error' });
    expect(await runOf(id)).toMatchObject({ done: 0, skipped: 0, failed: 0, [outcome]: 5 });
    expect((await itemsOf(id))[0]).toMatchObject({ state: outcome, note: 'a note', error: 'an error' });
  });

  test('that another worker has, writes nothing', async () => {
    const { id, item } = await claimOne();
    await lose();
    let recorded = 0;
    const result: ItemResult = {
      outcome: 'done',
      record: async () => {
        recorded += 1;
      },
    };
    await expect(end(item, result)).rejects.toThrow('item 0 is now being processed by another worker');
    expect([recorded, (await runOf(id))?.done, (await itemsOf(id))[0]?.state]).toEqual([0, 0, 'working']);
  });
});

describe('giving up', () => {
  const giveUp = (item: ClaimedItem, handler: RunHandler<unknown>, message = 'it is cut off') =>
    giveUpItem(server.db, item, handler, message, LOG);

  test('says so to the handler, in the same transaction', async () => {
    const { id, item } = await claimOne();
    const told: unknown[] = [];
    await giveUp(
      { ...item, attempts: 3 },
      handlerThat(async (tx, input, error) => {
        told.push(input, error);
        await change(tx, "UPDATE runs SET title = 'given up' WHERE id = ?", [id]);
      }),
    );
    expect(told).toEqual([{ asset: '0', recipes: null }, 'it is cut off (tried 3 times)']);
    expect(await runOf(id)).toMatchObject({ title: 'given up', failed: 1 });
    expect((await itemsOf(id))[0]).toMatchObject({ state: 'failed', error: 'it is cut off (tried 3 times)' });
  });

  test('ends the item, even if the handler fails, and keeps nothing of what it wrote', async () => {
    const { id, item } = await claimOne();
    await giveUp(
      item,
      handlerThat(async (tx) => {
        await change(tx, "UPDATE runs SET title = 'given up' WHERE id = ?", [id]);
        throw new Error('a fault of the handler');
      }),
    );
    expect(await runOf(id)).toMatchObject({ title: 'A test', failed: 1 });
    expect((await itemsOf(id))[0]).toMatchObject({ state: 'failed', error: 'it is cut off (tried once)' });
  });

  test.each([
    ['what it runs on is away', new UniferumError('store-away', 'The store "cellar" is away.')],
    ['of a deadlock', Object.assign(new Error('Deadlock found'), { code: 'ER_LOCK_DEADLOCK', errno: 1213 })],
  ])('waits where the handler fails because %s', async (_what, fault) => {
    const { id, item } = await claimOne();
    await expect(
      giveUp(
        item,
        handlerThat(() => Promise.reject(fault)),
      ),
    ).rejects.toMatchObject({ code: expect.stringMatching(/^(?:store-away|busy)$/) });
    expect([(await runOf(id))?.failed, (await itemsOf(id))[0]?.state]).toEqual([0, 'working']);
  });

  test('of an item that another worker has does nothing', async () => {
    const { id, item } = await claimOne();
    await lose();
    await giveUp(item, handlerThat(undefined));
    expect([(await runOf(id))?.failed, (await itemsOf(id))[0]?.state]).toEqual([0, 'working']);
  });

  test('keeps the beginning of a long message, and how often it was tried', async () => {
    const { id, item } = await claimOne();
    await giveUp(item, handlerThat(undefined), `${'x'.repeat(1000)}yz`);
    expect((await itemsOf(id))[0]?.error).toBe(`${'x'.repeat(1000)} (tried once)`);
  });
});

describe('an item whose worker died', () => {
  const recover = (handlers = new Map<string, RunHandler<unknown>>()) =>
    recoverExpiredItems(server.db, { maxDeaths: 3, handlers, log: LOG });
  const expire = (attempts: number) =>
    change(
      server.db,
      "UPDATE run_items SET lease_until = NOW(3) - INTERVAL 1 SECOND, attempts = ? WHERE state = 'working'",
      [attempts],
    );

  test('waits again, and the attempt counts', async () => {
    const { id } = await claimOne();
    await expire(2);
    await recover();
    expect((await itemsOf(id))[0]).toEqual({
      ...{ state: 'waiting', attempts: 2, note: null },
      error: 'The worker died while working on item 0.',
    });
    expect((await runOf(id))?.state).toBe('working');
  });

  test('ends after too many deaths, whether its kind is known or not', async () => {
    const told: string[] = [];
    const handlers = new Map([['test', handlerThat(async (_tx, _input, error) => void told.push(error))]]);
    for (const known of [handlers, new Map<string, RunHandler<unknown>>()]) {
      const { id } = await claimOne();
      await expire(3);
      await recover(known);
      const error = 'The worker died while working on item 0. (tried 3 times)';
      expect((await itemsOf(id))[0]).toMatchObject({ state: 'failed', error });
      expect(await runOf(id)).toMatchObject({ failed: 1 });
      expect(told).toEqual([error]);
    }
  });

  test('ends a run that was being stopped', async () => {
    const { id } = await claimOne();
    await setRun(id, 'stopping');
    await expire(1);
    await recover();
    expect((await runOf(id))?.state).toBe('stopped');
  });
});

describe('an item that is given back', () => {
  const back = { delayMs: 0, error: null, countsAttempt: false };
  const WAYS: [string, (item: ClaimedItem) => Promise<void>][] = [
    ['given back', (item) => returnToRun(server.db, item, back)],
    ['held', (item) => holdWithRun(server.db, item, 'The disk is full.', 60_000)],
  ];

  test('waits, without its attempt', async () => {
    const { id, item } = await claimOne();
    await returnToRun(server.db, item, back);
    expect((await itemsOf(id))[0]).toEqual({ state: 'waiting', attempts: 0, error: null, note: null });
    expect((await runOf(id))?.state).toBe('working');
  });

  test('holds its run, where what it runs on has a fault', async () => {
    const { id, item } = await claimOne();
    await holdWithRun(server.db, item, 'The disk is full.', 60_000);
    expect((await itemsOf(id))[0]).toMatchObject({
      state: 'waiting',
      attempts: 0,
      error: 'The disk is full.',
    });
    expect(await runOf(id)).toMatchObject({ state: 'working', held_reason: 'The disk is full.' });
  });

  test.each(WAYS)('as the last of a run that is being stopped ends it: %s', async (_how, giveBack) => {
    const { id, item } = await claimOne();
    await setRun(id, 'stopping');
    await giveBack(item);
    expect((await runOf(id))?.state).toBe('stopped');
  });

  test.each(WAYS)('and that another worker has stays with it: %s', async (_how, giveBack) => {
    const { id, item } = await claimOne();
    await setRun(id, 'stopping');
    await lose();
    await giveBack(item);
    expect([(await runOf(id))?.state, (await itemsOf(id))[0]?.state]).toEqual(['stopping', 'working']);
    expect((await runOf(id))?.held_reason).toBeNull();
  });
});

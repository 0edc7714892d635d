import { afterAll, afterEach, beforeAll, expect, test, vi } from 'vitest';
import { select } from '../shared/database.js';
import { startTestServer, type TestServer } from '../testing/harness.js';
import { UploadLocker } from './upload-locker.js';
import * as queries from './upload-queries.js';

let server: TestServer;
beforeAll(async () => {
  server = await startTestServer();
  await queries.insertUpload(server.db, 'held', 'user:1');
});
afterAll(async () => {
  await server.close();
});
afterEach(() => {
  vi.restoreAllMocks();
});

const open = () => new AbortController().signal;
const locker = () => new UploadLocker(server.db);

test('a second request asks the first to let go, and gets the lock then', async () => {
  const [first, second] = [locker().newLock('held'), locker().newLock('held')];
  const asked = vi.fn(async () => first.unlock());
  await first.lock(open(), asked);
  expect(asked).not.toHaveBeenCalled();
  await second.lock(open(), () => {});
  expect(asked).toHaveBeenCalled();
  await second.unlock();
});

test('a request that has waited long enough, or whose sender is gone, is sent away', async () => {
  const [first, second] = [locker().newLock('held'), locker().newLock('held')];
  await first.lock(open(), () => {});
  await expect(second.lock(AbortSignal.abort(), () => {})).rejects.toMatchObject({ status_code: 423 });
  vi.useFakeTimers({ toFake: ['Date'] });
  try {
    const waiting = second.lock(open(), () => {});
    waiting.catch(() => {});
    vi.setSystemTime(Date.now() + 15_001);
    await expect(waiting).rejects.toMatchObject({ status_code: 423 });
  } finally {
    vi.useRealTimers();
    await first.unlock();
  }
});

test('nobody is asked to let go of what nobody else wants', async () => {
  const lock = locker().newLock('held');
  const asked = vi.fn();
  await lock.lock(open(), asked);
  await vi.waitFor(
    async () => expect(await queries.renewLock(server.db, 'held', 'nobody', 6000)).toBe('lost'),
    { timeout: 5000 },
  );
  expect(asked).not.toHaveBeenCalled();
  await lock.unlock();
});

test('a lock that was lost is let go of', async () => {
  const lock = locker().newLock('held');
  let release = () => {};
  const lost = new Promise<void>((resolve) => {
    release = resolve;
  });
  await lock.lock(open(), () => release());
  // Its server was asleep, and somebody else took it over.
  await queries.deleteLock(
    server.db,
    'held',
    await select<{ token: string }>(server.db, "SELECT token FROM upload_locks WHERE id = 'held'").then(
      ([row]) => row?.token ?? '',
    ),
  );
  await lost;
  await lock.unlock();
});

test('a request that ended gets no lock, with what to do', async () => {
  const first = locker().newLock('held');
  await first.lock(open(), () => {});
  await expect(
    locker()
      .newLock('held')
      .lock(AbortSignal.abort(), () => {}),
  ).rejects.toEqual({
    status_code: 423,
    body: expect.stringContaining('Another request is writing'),
  });
  await first.unlock();
});

test('a lock is claimed and renewed for as long as was asked, by its holder only', async () => {
  const left = async () => {
    const [row] = await select<{ ms: number }>(
      server.db,
      "SELECT TIMESTAMPDIFF(MICROSECOND, NOW(3), lease_until) / 1000 AS ms FROM upload_locks WHERE id = 'held'",
    );
    return Number(row?.ms);
  };
  expect(await queries.claimLock(server.db, 'held', 'mine', 600_000)).toBe(true);
  expect(await left()).toBeGreaterThan(500_000);
  expect(await left()).toBeLessThanOrEqual(600_000);
  expect(await queries.renewLock(server.db, 'held', 'mine', 6_000_000)).toBe('held');
  expect(await left()).toBeGreaterThan(5_900_000);
  expect(await left()).toBeLessThanOrEqual(6_000_000);
  expect(await queries.renewLock(server.db, 'held', 'theirs', 60_000_000)).toBe('lost');
  expect(await left()).toBeLessThanOrEqual(6_000_000);
  expect(await queries.claimLock(server.db, 'held', 'theirs', 6000)).toBe(false);
  expect(await queries.renewLock(server.db, 'held', 'mine', 6000)).toBe('wanted');
  await queries.deleteLock(server.db, 'held', 'theirs');
  expect(await queries.renewLock(server.db, 'held', 'mine', 6000)).toBe('wanted');
  await queries.deleteLock(server.db, 'held', 'mine');
  expect(await queries.claimLock(server.db, 'held', 'theirs', 6000)).toBe(true);
  await queries.deleteLock(server.db, 'held', 'theirs');
});

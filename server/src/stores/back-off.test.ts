import { expect, test, vi } from 'vitest';
import { type RetryAdvice, withBackOff } from './back-off.js';
import { readRetryAfter } from './bucket-faults.js';
import { RequestRate } from './request-rate.js';

const busy = (afterMs: number | null = null, mayRetry = true) =>
  Object.assign(new Error('busy'), { afterMs, mayRetry });
const advise = (error: unknown) => error as RetryAdvice;

async function attempt(errors: readonly Error[], options = {}) {
  const waits: number[] = [];
  const left = [...errors];
  const work = vi.fn(async () => {
    const error = left.shift();
    if (error) throw error;
    return 'done';
  });
  const delay = async (ms: number) => {
    waits.push(ms);
  };
  const result = await withBackOff(work, { advise, delay, random: () => 1, ...options }).catch(
    (error) => error,
  );
  return { result, waits, calls: work.mock.calls.length };
}

test('waits double, up to the longest', async () => {
  const { result, waits } = await attempt([busy(), busy(), busy(), busy()], { longestWaitMs: 1000 });
  expect(result).toBe('done');
  expect(waits).toEqual([200, 400, 800, 1000]);
});

test('waits are scattered between a half and the whole', async () => {
  expect((await attempt([busy()], { random: () => 0 })).waits).toEqual([100]);
});

test('what the other side asks for is waited at least', async () => {
  expect((await attempt([busy(5000), busy(50)])).waits).toEqual([5000, 400]);
});

test('a wait that is too long is left to the caller', async () => {
  const error = busy(60_000);
  expect(await attempt([error])).toMatchObject({ result: error, waits: [], calls: 1 });
  expect((await attempt([busy(30_000)])).result).toBe('done');
});

test('what would fail again is not repeated', async () => {
  const error = busy(null, false);
  expect(await attempt([error])).toMatchObject({ result: error, calls: 1 });
});

test('after the last attempt the last error is thrown', async () => {
  const last = busy();
  expect(await attempt([busy(), busy(), last], { attempts: 3 })).toMatchObject({ result: last, calls: 3 });
});

test('an end that was asked for comes before any error', async () => {
  const ending = new AbortController();
  const work = async () => {
    ending.abort(new Error('stopped'));
    throw busy();
  };
  await expect(withBackOff(work, { advise, signal: ending.signal })).rejects.toThrow('stopped');
  await expect(withBackOff(async () => 'never', { advise, signal: ending.signal })).rejects.toThrow(
    'stopped',
  );
});

test('a wait ends when the work is no longer wanted', async () => {
  const ending = new AbortController();
  const work = vi.fn(async () => {
    setImmediate(() => ending.abort());
    throw busy(30_000);
  });
  await expect(withBackOff(work, { advise, signal: ending.signal })).rejects.toMatchObject({
    name: 'AbortError',
  });
  expect(work).toHaveBeenCalledOnce();
});

test('Retry-After is read in both forms', () => {
  // RFC 9110 §10.2.3.
  const now = Date.parse('Fri, 31 Dec 1999 23:59:00 GMT');
  expect(readRetryAfter('120', now)).toBe(120_000);
  expect(readRetryAfter('Fri, 31 Dec 1999 23:59:59 GMT', now)).toBe(59_000);
  expect(readRetryAfter('Fri, 31 Dec 1999 23:58:00 GMT', now)).toBe(0);
  expect(readRetryAfter('soon', now)).toBeNull();
  expect(readRetryAfter(undefined, now)).toBeNull();
});

test('requests begin no faster than allowed, and make nothing up later', () => {
  const rate = new RequestRate(4);
  expect([rate.reserve(0), rate.reserve(0), rate.reserve(100)]).toEqual([0, 250, 400]);
  expect(rate.reserve(10_000)).toBe(0);
  expect(rate.reserve(10_000)).toBe(250);
});

test('without a limit nothing waits', async () => {
  const rate = new RequestRate(null);
  expect([rate.reserve(5), rate.reserve(5)]).toEqual([0, 0]);
  for (let request = 0; request < 3; request += 1) await rate.turn(AbortSignal.abort());
});

test('a request waits for its turn, and no longer than it is wanted', async () => {
  const rate = new RequestRate(1 / 3600);
  await rate.turn();
  const ending = new AbortController();
  const second = rate.turn(ending.signal);
  ending.abort();
  await expect(second).rejects.toMatchObject({ name: 'AbortError' });
});

test('a request that comes after its turn does not wait', async () => {
  const rate = new RequestRate(1e9);
  await rate.turn();
  await rate.turn();
});

import { expect, test } from 'vitest';
import { Gate } from './gate.js';

test('lets so many in at a time, in their order, and turns those away who find a full queue', async () => {
  const gate = new Gate({ atOnce: 2, maxWaiting: 3 });
  const order: number[] = [];
  const ends: (() => void)[] = [];
  const work = (n: number) =>
    gate.pass(() => {
      order.push(n);
      return new Promise<void>((resolve) => ends.push(resolve));
    });
  const inside = [1, 2, 3, 4, 5].map(work);
  await expect(work(6)).rejects.toMatchObject({ code: 'busy' });
  expect(order).toEqual([1, 2]);
  ends.shift()?.();
  await inside[0];
  expect(order).toEqual([1, 2, 3]);
  for (let n = 0; n < 4; n += 1) {
    ends.shift()?.();
    await new Promise((resolve) => setImmediate(resolve));
  }
  await Promise.all(inside);
  expect(order).toEqual([1, 2, 3, 4, 5]);
});

test('one that fails leaves its place', async () => {
  const gate = new Gate({ atOnce: 1, maxWaiting: 0 });
  await expect(gate.pass(() => Promise.reject(new Error('no')))).rejects.toThrow('no');
  expect(await gate.pass(async () => 'next')).toBe('next');
});

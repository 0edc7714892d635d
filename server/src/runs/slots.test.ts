import { expect, test } from 'vitest';
import { Slots } from './slots.js';

const never = new AbortController().signal;

test('as many get in as there are places, the others in their order', async () => {
  const slots = new Slots(2);
  const order: number[] = [];
  const gives = [await slots.take(never), await slots.take(never)];
  const enter = async (who: number) => {
    const give = await slots.take(never);
    order.push(who);
    return give;
  };
  const third = enter(3);
  const fourth = enter(4);
  gives[0]?.();
  gives[0]?.();
  (await third)();
  await fourth;
  expect(order).toEqual([3, 4]);
});

test('who gives up while waiting leaves the place to the next', async () => {
  const slots = new Slots(1);
  const give = await slots.take(never);
  const abort = new AbortController();
  const first = slots.take(abort.signal);
  const second = slots.take(never);
  abort.abort('stopping');
  await expect(first).rejects.toBe('stopping');
  give();
  (await second)();
  await expect(slots.take(never)).resolves.toBeTypeOf('function');
});

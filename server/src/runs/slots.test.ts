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

/** Whether a place was given by now; what is to be told was told in the turns before. */
async function isGiven(place: Promise<unknown>): Promise<boolean> {
  let given = false;
  void place.then(
    () => {
      given = true;
    },
    () => {},
  );
  for (let turn = 0; turn < 5; turn += 1) await Promise.resolve();
  return given;
}

test('a place that is given back twice is one place', async () => {
  const slots = new Slots(1);
  const give = await slots.take(never);
  const second = slots.take(never);
  const third = slots.take(never);
  give();
  give();
  expect([await isGiven(second), await isGiven(third)]).toEqual([true, false]);
  (await second)();
  expect(await isGiven(third)).toBe(true);
});

test('a place that is given back twice while nobody waits is one place', async () => {
  const slots = new Slots(1);
  const give = await slots.take(never);
  give();
  give();
  const [first, second] = [slots.take(never), slots.take(never)];
  expect([await isGiven(first), await isGiven(second)]).toEqual([true, false]);
});

test('nobody comes in after giving up, and giving up after coming in changes nothing', async () => {
  const slots = new Slots(1);
  await expect(slots.take(AbortSignal.abort('gone'))).rejects.toBe('gone');
  const abort = new AbortController();
  const give = await slots.take(never);
  const entered = slots.take(abort.signal);
  give();
  const giveBack = await entered;
  abort.abort('late');
  const next = slots.take(never);
  expect(await isGiven(next)).toBe(false);
  giveBack();
  expect(await isGiven(next)).toBe(true);
});

test('who gives up leaves the others in their order', async () => {
  const slots = new Slots(1);
  const give = await slots.take(never);
  const abort = new AbortController();
  const first = slots.take(never);
  const second = slots.take(abort.signal);
  const third = slots.take(never);
  abort.abort('gone');
  await expect(second).rejects.toBe('gone');
  give();
  expect([await isGiven(first), await isGiven(third)]).toEqual([true, false]);
});

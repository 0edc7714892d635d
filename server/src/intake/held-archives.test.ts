import { beforeEach, expect, test } from 'vitest';
import { HeldArchives } from './held-archives.js';

let opened: string[];
let closed: string[];
let archives: HeldArchives<{ name: string; close(): void }>;

beforeEach(() => {
  opened = [];
  closed = [];
  archives = new HeldArchives(2);
});

const use = <Result>(name: string, work: () => Promise<Result> = async () => name as Result) =>
  archives.use(
    name,
    async () => {
      opened.push(name);
      return { name, close: () => closed.push(name) };
    },
    work,
  );
/** Lets everything happen that is not waited for. */
const settled = () => new Promise((resolve) => setImmediate(resolve));

/** Work that goes on until it is told to end. */
function held(name: string): { end: () => Promise<void> } {
  let end = () => {};
  const work = use(name, () => new Promise<void>((resolve) => (end = resolve)));
  return {
    end: async () => {
      end();
      await work;
      await settled();
    },
  };
}

test('an archive stays open for the next item', async () => {
  expect([await use('a'), await use('a'), await use('b'), await use('a')]).toEqual(['a', 'a', 'b', 'a']);
  await settled();
  expect([opened, closed]).toEqual([['a', 'b'], []]);
});

test('beyond the most that stay open, unused ones are closed', async () => {
  for (const name of ['a', 'b', 'c']) await use(name);
  await settled();
  expect(closed).toEqual(['a']);
  await use('a');
  await settled();
  expect([opened, closed]).toEqual([
    ['a', 'b', 'c', 'a'],
    ['a', 'b'],
  ]);
});

test('one that is used stays open, however many there are, until its last user has ended', async () => {
  const [first, second] = [held('a'), held('a')];
  await settled();
  for (const name of ['b', 'c', 'd']) await use(name);
  await settled();
  expect(closed).toEqual(['b', 'c']);
  await first.end();
  await use('e');
  await settled();
  expect(closed).toEqual(['b', 'c', 'd']);
  await second.end();
  await use('f');
  await settled();
  expect(closed).toEqual(['b', 'c', 'd', 'a']);
});

test("one that can't be opened is tried again", async () => {
  const failing = () => Promise.reject(new Error('no archive'));
  await expect(archives.use('a', failing, async () => {})).rejects.toThrow('no archive');
  expect(await use('a')).toBe('a');
});

test('work that fails leaves its archive for the next', async () => {
  await expect(use('a', () => Promise.reject(new Error('no such entry')))).rejects.toThrow('no such entry');
  await use('a');
  expect(opened).toEqual(['a']);
});

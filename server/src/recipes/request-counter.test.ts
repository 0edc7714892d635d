import type { Logger } from 'pino';
import { expect, test } from 'vitest';
import type { Database } from '../shared/database.js';
import { RequestCounter } from './request-counter.js';

type Row = [asset: number, recipe: string, variant: string, requests: number, lastAt: Date];

/** A database that fails as often as it is told, and keeps what it was given otherwise. */
function database() {
  const state = { failures: 0, written: [] as Row[][] };
  const db = {
    query: async (_sql: string, [rows]: [Row[]]) => {
      if (state.failures > 0) {
        state.failures -= 1;
        throw new Error('Deadlock found');
      }
      state.written.push(rows);
      return [{}];
    },
  };
  return { state, db: db as unknown as Database };
}

const silent = { warn: () => {} } as unknown as Logger;

test('requests are added up per rendition and written in the order of the key', async () => {
  const { db, state } = database();
  const counter = new RequestCounter(db, silent);
  counter.add(12, 'card', '');
  counter.add(3, 'hero', '2x');
  counter.add(3, 'hero', '');
  counter.add(3, 'card', '');
  counter.add(12, 'card', '');
  await counter.flush();
  expect(state.written[0]?.map((row) => row.slice(0, 4))).toEqual([
    [3, 'card', '', 1],
    [3, 'hero', '', 1],
    [3, 'hero', '2x', 1],
    [12, 'card', '', 2],
  ]);
  await counter.flush();
  expect(state.written).toHaveLength(1);
});

test('what the database does not take is written with the next requests', async () => {
  const { db, state } = database();
  const counter = new RequestCounter(db, silent);
  state.failures = 2;
  counter.add(3, 'hero', '');
  await counter.flush();
  counter.add(3, 'hero', '');
  await counter.flush();
  counter.add(4, 'hero', '');
  await counter.flush();
  expect(state.written).toHaveLength(1);
  expect(state.written[0]?.map((row) => row.slice(0, 4))).toEqual([
    [3, 'hero', '', 2],
    [4, 'hero', '', 1],
  ]);
});

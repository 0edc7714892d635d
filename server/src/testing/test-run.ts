import { pino } from 'pino';
import { RunEngine } from '../runs/engine.js';
import type { EngineOptions } from '../runs/engine-options.js';
import type { ItemResult } from '../runs/handler.js';
import { insertItems } from '../runs/item-queries.js';
import { beginRun } from '../runs/ledger.js';
import { defineRun } from '../runs/run-kind.js';
import { change, type Database, inTransaction } from '../shared/database.js';
import { openDatabase } from '../shared/pooled-database.js';
import type { TestServer } from './harness.js';

/** A kind of run whose items do what the test says. */
export const testRun = defineRun<{ asset: string }>({ kind: 'test', label: 'A test', countsBytes: true });

export type TestWork = (input: { asset: string }, signal: AbortSignal) => Promise<ItemResult>;

/** Starts an engine that works on runs of the test; the caller closes it. */
export async function startTestEngine(
  server: TestServer,
  work: TestWork,
  options: Partial<EngineOptions> & { db?: Database } = {},
): Promise<RunEngine> {
  const handlers = [testRun.bind({ work: (input, { signal }) => work(input, signal) })];
  const { db = server.db, ...rest } = options;
  const own = openDatabase(server.config.database, { connections: 1 });
  const engine = new RunEngine(db, own, handlers, pino({ level: 'silent' }), {
    ...{ slots: 2, leaseMs: 600, idleMs: 15, backoffBaseMs: 20 },
    ...rest,
  });
  await engine.start();
  return engine;
}

/** Begins a run of `count` items. @returns its id */
export function startTestRun(server: TestServer, count: number, title = 'A test'): Promise<string> {
  return inTransaction(server.db, async (tx) => {
    const id = await beginRun(tx, testRun, { title, by: 'test' });
    const items = Array.from({ length: count }, (_, n) => ({
      key: `${n}`,
      title: `item ${n}`,
      input: { asset: String(n), recipes: null },
    }));
    await insertItems(tx, id, items);
    return id;
  });
}

/** Forgets all runs, their events and workers, so that tests can share a server. */
export async function clearRuns({ db }: TestServer): Promise<void> {
  for (const table of ['run_items', 'runs', 'events', 'workers', 'worker_minutes'])
    await change(db, `DELETE FROM ${table}`);
}

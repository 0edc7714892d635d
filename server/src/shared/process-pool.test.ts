import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import { afterEach, beforeEach, expect, test } from 'vitest';
import { ProcessPool } from './process-pool.js';
import { ProcessKilledError } from './process-task.js';

const SIDE = new URL('../../dist/shared/process-side.js', import.meta.url).href;
/** Tells three parts, and ends when a file is there. */
const SCRIPT = `
import { existsSync } from 'node:fs';
import { serveProcess } from '${SIDE}';
serveProcess(async ({ gate }, { tell }) => {
  for (const part of [1, 2, 3]) tell(part);
  while (!existsSync(gate)) await new Promise((resolve) => setTimeout(resolve, 5));
  return 'done';
});
`;

const LOADS_MS = 2500;
/** Takes longer to load than a task may take. */
const LATE = `
import { serveProcess } from '${SIDE}';
await new Promise((resolve) => setTimeout(resolve, ${LOADS_MS}));
serveProcess(() => 'done');
`;

let folder: string;
let pool: ProcessPool<{ gate: string }, string, number>;
beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), 'uniferum-pool-'));
  writeFileSync(join(folder, 'script.mjs'), SCRIPT);
  pool = new ProcessPool(pathToFileURL(join(folder, 'script.mjs')), {
    processes: 1,
    maxMemoryBytes: 1e9,
    timeoutMs: 1500,
    isBackground: false,
  });
});
afterEach(async () => {
  await pool.close();
  rmSync(folder, { recursive: true, force: true });
});

/** Has work done whose process gets signals, one each time that it has told all its parts. */
function runUnder(signals: NodeJS.Signals[]) {
  const gate = join(folder, 'gate');
  const parts: number[] = [];
  const left = [...signals];
  const ended = pool.run(
    { gate },
    {
      onPart: (part) => {
        parts.push(part);
        if (part !== 3) return;
        const signal = left.shift();
        for (const pid of signal ? pool.pids : []) process.kill(pid, signal);
        if (left.length === 0) writeFileSync(gate, '');
      },
    },
  );
  return ended.then((result) => ({ result, parts }));
}

test.each<[NodeJS.Signals[]]>([
  [[]],
  [['SIGKILL']],
  [['SIGKILL', 'SIGKILL', 'SIGKILL']],
  [['SIGSEGV']],
  [['SIGSTOP']],
])('work whose process gets %j is done, and its parts told by each process', async (signals) => {
  const parts = [...signals, 'the last'].flatMap(() => [1, 2, 3]);
  expect(await runUnder(signals)).toEqual({ result: 'done', parts });
});

test.each<[NodeJS.Signals[], RegExp]>([
  [['SIGKILL', 'SIGKILL', 'SIGKILL', 'SIGKILL'], /signal SIGKILL/],
  [['SIGSEGV', 'SIGSEGV'], /signal SIGSEGV/],
])('work whose process gets %j is to blame', async (signals, reason) => {
  const run = runUnder(signals);
  await expect(run).rejects.toThrow(ProcessKilledError);
  await expect(run).rejects.toThrow(reason);
});

test('the time of a task begins when its process has loaded its modules', async () => {
  writeFileSync(join(folder, 'late.mjs'), LATE);
  const late = new ProcessPool(pathToFileURL(join(folder, 'late.mjs')), {
    processes: 1,
    maxMemoryBytes: 1e9,
    timeoutMs: LOADS_MS - 1000,
    isBackground: false,
  });
  try {
    expect(await late.run({})).toBe('done');
  } finally {
    await late.close();
  }
});

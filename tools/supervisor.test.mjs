import { spawn } from 'node:child_process';
import { existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, expect, test } from 'vitest';
import { supervise } from './supervisor.mjs';

const folder = mkdtempSync(join(tmpdir(), 'uniferum-supervisor-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));

/** Writes a program. */
function program(name, text) {
  const path = join(folder, name);
  writeFileSync(path, text);
  return path;
}

async function eventually(condition) {
  const until = Date.now() + 20_000;
  while (!condition()) {
    if (Date.now() > until) throw new Error('The condition did not come true in time');
    await new Promise((resolve) => setTimeout(resolve, 20));
  }
}

const isAlive = (pid) => {
  try {
    process.kill(pid, 0);
    return true;
  } catch {
    return false;
  }
};

/** Exits cleanly, as servers and workers do. */
const ORDERLY = `
  process.on('SIGTERM', () => process.exit(0));
  process.on('disconnect', () => process.exit(0));
  setInterval(() => {}, 1000);
`;

test('a program that dies is started again, each time after a longer wait, and this is said', async () => {
  const count = join(folder, 'count');
  const said = [];
  const dying = program(
    'dying.mjs',
    `import { existsSync, readFileSync, writeFileSync } from 'node:fs';
     const times = existsSync(${JSON.stringify(count)}) ? Number(readFileSync(${JSON.stringify(count)}, 'utf8')) : 0;
     writeFileSync(${JSON.stringify(count)}, String(times + 1));
     if (times === 0) process.exit(3);
     if (times === 1) process.kill(process.pid, 'SIGKILL');
     ${ORDERLY}
     process.send('ready');`,
  );
  const part = supervise(dying, { name: 'helper', say: (sentence) => said.push(sentence), firstWaitMs: 20 });
  await part.ready;
  expect(said).toEqual([
    'The helper died (exit 3). It is started again in 0.0 s.',
    'The helper died (SIGKILL). It is started again in 0.0 s.',
  ]);
  const first = part.pid();
  process.kill(first, 'SIGKILL');
  await eventually(() => part.pid() !== undefined && part.pid() !== first);
  await part.stop();
  expect(await part.ended).toBe(0);
  expect(said.at(-1)).toBe('The helper died (SIGKILL). It is started again in 0.1 s.');
});

test('one whose configuration is wrong is not started again', async () => {
  const said = [];
  const wrong = program('wrong.mjs', 'process.exit(78)');
  const part = supervise(wrong, { name: 'helper', say: (sentence) => said.push(sentence) });
  await expect(part.ready).rejects.toThrow('ended (78)');
  expect(await part.ended).toBe(78);
  expect(said).toEqual([
    'The helper ended (exit 78). Its configuration has to be put right before it can start.',
  ]);
});

test('stopping while it waits to start again ends it', async () => {
  const failing = program('failing.mjs', 'process.exit(1)');
  let said = 0;
  const part = supervise(failing, {
    name: 'helper',
    firstWaitMs: 60_000,
    say: () => {
      said += 1;
    },
  });
  await eventually(() => said === 1);
  await part.stop();
  expect(await part.ended).toBe(0);
});

test.each([
  ['SIGTERM', 'npm'],
  ['SIGKILL', 'npm'],
  ['SIGKILL', 'supervisor'],
])('%s to the %s leaves no process', { timeout: 30_000 }, async (signal, whom) => {
  const mark = join(folder, `pids-${signal}-${whom}`);
  const part = program('part.mjs', `${ORDERLY} process.send({ pid: process.pid });`);
  program(
    'start.mjs',
    `import { renameSync, writeFileSync } from 'node:fs';
     import { supervise, whenAbandoned } from ${JSON.stringify(join(import.meta.dirname, 'supervisor.mjs'))};
     const part = supervise(${JSON.stringify(part)}, { name: 'part' });
     process.on('SIGTERM', () => void part.stop());
     whenAbandoned(() => void part.stop());
     await part.ready;
     writeFileSync(process.argv[2] + '.new', process.pid + ' ' + part.pid());
     renameSync(process.argv[2] + '.new', process.argv[2]);
     process.exit(await part.ended);`,
  );
  writeFileSync(
    join(folder, 'package.json'),
    JSON.stringify({ name: 'x', private: true, scripts: { start: `node start.mjs ${mark}` } }),
  );
  const npm = spawn('npm', ['start'], { cwd: folder, stdio: 'ignore' });
  await eventually(() => existsSync(mark));
  const [supervisor, child] = readFileSync(mark, 'utf8').split(' ').map(Number);
  process.kill(whom === 'npm' ? npm.pid : supervisor, signal);
  await eventually(() => !isAlive(supervisor) && !isAlive(child));
});

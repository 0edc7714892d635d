import { writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Step } from '@uniferum/core/recipes';
import { afterEach, expect, test } from 'vitest';
import { eventually, form, photo, startTestServer } from '../../testing/harness.js';
import { plainRecipe } from '../../testing/plain-recipe.js';
import type { RenderJob } from './job.js';
import { PictureKilledError, type PoolOptions, RenderPool } from './pool.js';

const pools: RenderPool[] = [];
afterEach(async () => {
  for (const pool of pools.splice(0)) await pool.close();
});

function openPool(options: Partial<PoolOptions> = {}): RenderPool {
  const pool = new RenderPool({
    processes: 1,
    maxMemoryBytes: 2e9,
    timeoutMs: 60_000,
    isBackground: true,
    ...options,
  });
  pools.push(pool);
  return pool;
}

async function jobOf(
  name: string,
  steps: Step[] = [{ op: 'fit', mode: 'inside', width: 60 }],
  width = 600,
): Promise<RenderJob> {
  const path = join(tmpdir(), `uniferum-pool-${process.pid}-${name}.jpg`);
  await writeFile(path, await photo(width, width));
  return {
    file: { path, kind: 'image', mime: 'image/jpeg', sha256: name },
    recipes: [plainRecipe(steps, { format: 'jpeg' })],
    focal: null,
    marks: {},
    look: false,
    maxPixels: 1e8,
  };
}

/** Steps that take seconds. */
const SLOW: Step[] = Array.from({ length: 12 }, (): Step => ({ op: 'blur', radius: 90 }));

test('a picture that ends its process is to blame, and the next one is made', async () => {
  const pool = openPool();
  const dying = pool.run(await jobOf('dying', SLOW, 2000));
  dying.catch(() => {});
  await eventually(async () => pool.pids.length === 1);
  // A few times it may be somebody else's doing.
  for (let kills = 0, last = 0; kills < 4; kills += 1) {
    const [pid = 0] = pool.pids;
    process.kill(pid, 'SIGKILL');
    last = pid;
    if (kills < 3) await eventually(async () => pool.pids.length === 1 && pool.pids[0] !== last);
  }
  await expect(dying).rejects.toThrow(PictureKilledError);
  await expect(dying).rejects.toThrow(/signal SIGKILL/);
  expect((await pool.run(await jobOf('next'))).made).toHaveLength(1);
});

test('a picture that needs more memory than there is, or takes too long, is given up with the reason', async () => {
  const hungry = openPool({ maxMemoryBytes: 30_000_000 });
  await expect(hungry.run(await jobOf('hungry', SLOW, 2000))).rejects.toThrow(
    /needed more than 30 MB of memory/,
  );
  const slow = openPool({ timeoutMs: 300 });
  await expect(slow.run(await jobOf('slow', SLOW, 2000))).rejects.toThrow(/took longer than 0 s/);
});

test('a drawing that would take minutes ends with its budget, and its slot is free again', async () => {
  const pool = openPool({ timeoutMs: 4000 });
  const path = join(tmpdir(), `uniferum-pool-${process.pid}-bomb.svg`);
  const filter = '<feMorphology operator="dilate" radius="90"/>';
  await writeFile(
    path,
    `<svg xmlns="http://www.w3.org/2000/svg" width="2000" height="2000"><filter id="f" x="0" y="0" width="1" height="1">${filter}</filter><rect width="2000" height="2000" filter="url(#f)"/></svg>`,
  );
  const plain = await jobOf('after-a-bomb');
  const file = { ...plain.file, path, mime: 'image/svg+xml', kind: 'vector' as const };
  const recipes = [plainRecipe([], { format: 'jpeg' })];
  await expect(pool.run({ ...plain, file, recipes })).rejects.toThrow(/took longer than 4 s/);
  expect((await pool.run(plain)).made).toHaveLength(1);
});

test('a job that nobody waits for any more leaves the queue, or ends at its next step', async () => {
  const pool = openPool();
  const [first, second] = [new AbortController(), new AbortController()];
  const running = pool.run(await jobOf('running', SLOW, 2000), { signal: first.signal });
  const waiting = pool.run(await jobOf('waiting'), { signal: second.signal });
  running.catch(() => {});
  waiting.catch(() => {});
  expect(pool.queued).toBe(1);
  second.abort();
  await expect(waiting).rejects.toThrow(/abort/i);
  expect(pool.queued).toBe(0);
  await eventually(async () => pool.pids.length === 1);
  first.abort();
  await expect(running).rejects.toThrow(/abort/i);
  expect((await pool.run(await jobOf('after'))).made).toHaveLength(1);
});

test('jobs run side by side in as many processes as there are', async () => {
  const pool = openPool({ processes: 2 });
  const results = await Promise.all(['a', 'b', 'c', 'd'].map(async (name) => pool.run(await jobOf(name))));
  expect(results.map(({ made }) => made.length)).toEqual([1, 1, 1, 1]);
  expect(new Set(pool.pids).size).toBe(2);
});

test('a process that was stopped from outside is ended, and another one takes over', async () => {
  const pool = openPool({ timeoutMs: 8000 });
  await pool.run(await jobOf('first'));
  const [stopped = 0] = pool.pids;
  process.kill(stopped, 'SIGSTOP');
  expect((await pool.run(await jobOf('second'))).made).toHaveLength(1);
  expect(pool.pids).not.toContain(stopped);
});

test('what was worked on when somebody else ended the process is made by another one', async () => {
  const pool = openPool();
  const made = pool.run(await jobOf('once more', SLOW.slice(0, 3), 1500));
  await eventually(async () => pool.pids.length === 1);
  for (const pid of pool.pids) process.kill(pid, 'SIGKILL');
  expect((await made).made).toHaveLength(1);
});

test('a closed pool takes nothing', async () => {
  const pool = openPool();
  await pool.close();
  await expect(pool.run(await jobOf('late'))).rejects.toThrow(/shutting down/);
});

test('a run blames the picture once, says why, and makes the others', async () => {
  const server = await startTestServer({ env: { UNIFERUM_RENDER_MEMORY_MB: '260' } });
  try {
    const steps = [
      { op: 'fit', mode: 'inside', width: 9000, height: 9000, enlarge: true },
      ...SLOW.slice(0, 3),
    ];
    await server.call('POST', '/api/v1/recipes', {
      json: {
        name: 'huge',
        title: 'Huge',
        folders: ['/huge'],
        steps,
        output: { format: 'jpeg', quality: 80 },
      },
    });
    await server.call('POST', '/api/v1/recipes', {
      json: {
        name: 'small',
        title: 'Small',
        folders: ['/fine'],
        steps: [{ op: 'fit', mode: 'inside', width: 50 }],
        output: { format: 'jpeg', quality: 80 },
      },
    });
    for (const folder of ['/huge', '/fine'])
      await server.call('POST', '/api/v1/assets', {
        body: form(folder, [{ name: 'a.jpg', data: await photo(900, 900) }]),
      });
    await server.workUntilIdle();
    const { body: runs } = await server.call('GET', '/api/v1/runs');
    const { body: items } = await server.call('GET', `/api/v1/runs/${runs.items[0].id}/items?state=failed`);
    expect(items.items).toHaveLength(1);
    expect(items.items[0]).toMatchObject({ attempts: 1, title: 'a.jpg' });
    expect(items.items[0].error).toMatch(
      /^a.jpg can't be processed: the process that worked on it ended \(it needed more than 260 MB of memory\)/,
    );
    const { body: fine } = await server.call('GET', '/api/v1/assets?folder=/fine');
    expect(fine.items[0].renditions[0].state).toBe('fresh');
  } finally {
    await server.close();
  }
});

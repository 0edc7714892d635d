// @ts-check
// Renditions through the whole run engine, against sharp called once per output and one vipsthumbnail call per output.

import { spawn, spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, openAsBlob, rmSync } from 'node:fs';
import { readFile, writeFile } from 'node:fs/promises';
import { availableParallelism } from 'node:os';
import { join } from 'node:path';
import sharp from 'sharp';
import { createClient } from '../client/dist/index.js';
import { LIGHTS, paintView, TIMES } from '../demo/dist/index.js';
import { VAR } from '../tools/prepare.mjs';
import { startStack } from '../tools/stack.mjs';
import { inParallel, median, report, seconds } from './measure.mjs';
import { takeWallpapers } from './wallpapers.mjs';

const PICTURES = 60;
const SIDES = [
  [1600, 'inside', 'jpeg', 80],
  [1000, 'inside', 'jpeg', 80],
  [480, 'inside', 'jpeg', 80],
  [240, 'cover', 'webp', 75],
];
const IN_FLIGHT = 2;
/** It takes about two seconds for each picture: some of them tell enough. */
const MAGICK_PICTURES = 20;

/** In memory: what the others write without making it durable must not slow down our making it so. */
const OUT = existsSync('/dev/shm') ? `/dev/shm/uniferum-bench-${process.pid}` : join(VAR, 'bench-out');

sharp.concurrency(1);
sharp.cache(false);

/** Sixty pictures of 2–12 megapixels with grain, written once and kept for the next time. */
async function makePhotographs() {
  const folder = join(VAR, 'bench-photographs');
  mkdirSync(folder, { recursive: true });
  const files = Array.from({ length: PICTURES }, (_, n) => join(folder, `photo-${n}.jpg`));
  await inParallel(files, IN_FLIGHT, async (file, n) => {
    if (
      await readFile(file).then(
        () => true,
        () => false,
      )
    )
      return;
    const megapixels = 2 + (10 * ((n * 7) % PICTURES)) / (PICTURES - 1);
    const width = Math.round(Math.sqrt(megapixels * 1.5e6));
    const [light, time] = [LIGHTS[n % LIGHTS.length], TIMES[n % TIMES.length]];
    if (!light || !time) throw new Error('Expected a light and a time of day');
    // Painted at 2 megapixels and enlarged under grain: what matters here is the work of decoding and encoding.
    const painted = await (
      await paintView({ light, time, width: 1800, height: 1200, seed: n, closeness: 'far' })
    )
      .png({ compressionLevel: 1 })
      .toBuffer();
    const height = Math.round(width / 1.5);
    const grain = {
      create: {
        width,
        height,
        channels: 3,
        background: '#808080',
        noise: { type: 'gaussian', mean: 128, sigma: 14 },
      },
    };
    const enlarged = await sharp(painted)
      .resize(width, height)
      .composite([
        {
          input: await sharp(/** @type {any} */ (grain))
            .png({ compressionLevel: 1 })
            .toBuffer(),
          blend: 'soft-light',
        },
      ])
      .jpeg({ quality: 90 })
      .toBuffer();
    await writeFile(file, enlarged);
  });
  return files;
}

/** @param {string[]} files */
async function bySharpPerOutput(files) {
  return seconds(() =>
    inParallel(files, IN_FLIGHT, async (file) => {
      for (const [side, fit, format, quality] of SIDES) {
        const picture = sharp(file)
          .autoOrient()
          .resize(Number(side), Number(side), { fit: /** @type {any} */ (fit), withoutEnlargement: true });
        await (format === 'jpeg'
          ? picture.jpeg({ quality: Number(quality) })
          : picture.webp({ quality: Number(quality) })
        ).toBuffer();
      }
    }),
  );
}

/** @param {string[]} files */
async function byVipsthumbnail(files) {
  return seconds(() =>
    inParallel(files, availableParallelism(), async (file) => {
      for (const [side, fit, format, quality] of SIDES) {
        const target = join(
          OUT,
          `v${files.indexOf(file) % 8}-${side}.${format === 'jpeg' ? 'jpg' : 'webp'}[Q=${quality}]`,
        );
        const crop = fit === 'cover' ? ['--smartcrop', 'centre'] : [];
        await carryOut('vipsthumbnail', [file, '--size', `${side}x${side}`, ...crop, '-o', target]);
      }
    }),
  );
}

/** @param {string[]} files */
async function byImageMagick(files) {
  return seconds(() =>
    inParallel(files, availableParallelism(), async (file) => {
      for (const [side, fit, format, quality] of SIDES) {
        const box = `${side}x${side}`;
        const shape =
          fit === 'cover'
            ? ['-resize', `${box}^`, '-gravity', 'center', '-extent', box]
            : ['-resize', `${box}>`];
        const target = join(OUT, `m${files.indexOf(file) % 8}-${side}.${format === 'jpeg' ? 'jpg' : 'webp'}`);
        await carryOut('convert', [file, '-auto-orient', ...shape, '-quality', String(quality), target]);
      }
    }),
  );
}

/** @param {string} command @param {string[]} args */
function carryOut(command, args) {
  return new Promise((resolve, reject) => {
    const child = spawn(command, args, {
      stdio: 'ignore',
      env: { ...process.env, VIPS_CONCURRENCY: '1', MAGICK_THREAD_LIMIT: '1' },
    });
    child.once('exit', (code) =>
      code === 0 ? resolve(null) : reject(new Error(`${command} ended with ${code}`)),
    );
  });
}

/** Has all renditions made again by a worker that is warm, and times their run. @param {ReturnType<typeof createClient>} uniferum */
async function byEngine(uniferum) {
  const { run } = await uniferum.recipes.rebuild({ only: 'all' });
  const ended = await uniferum.runs.wait(run.id, { pollMs: 500 });
  if (ended.done !== PICTURES || !ended.startedAt || !ended.finishedAt)
    throw new Error(`The run ended as ${JSON.stringify(ended)}`);
  return (Date.parse(ended.finishedAt) - Date.parse(ended.startedAt)) / 1000;
}

/** Brings the pictures in and waits until the renditions were made once. @param {ReturnType<typeof createClient>} uniferum @param {string[]} files */
async function takeIn(uniferum, files) {
  for (let n = 0; n < files.length; n += 10) {
    const chunk = await Promise.all(
      files.slice(n, n + 10).map(async (file, i) => ({ name: `${n + i}.jpg`, data: await openAsBlob(file) })),
    );
    await uniferum.assets.upload({ folder: '/bench', files: chunk });
  }
  for await (const run of uniferum.runs.list()) await uniferum.runs.wait(run.id, { pollMs: 500 });
}

/** @param {ReturnType<typeof createClient>} uniferum */
async function makeRecipes(uniferum) {
  for (const [side, mode, format, quality] of SIDES)
    await uniferum.recipes.make({
      name: `s${side}`,
      title: `${side}`,
      steps: [{ op: 'fit', mode: /** @type {any} */ (mode), width: Number(side), height: Number(side) }],
      output: { format: /** @type {any} */ (format), quality: Number(quality), metadata: 'none' },
    });
}

/** @param {readonly string[]} wanted `pinned` for the workers with a core each alone */
export async function benchRenditions(wanted, rounds = 5) {
  const photographs = await takeWallpapers(PICTURES);
  if (wanted.includes('pinned')) return benchPinnedWorkers(photographs, rounds);
  await benchPictures('photographs', photographs, { rounds, targets: { sharp: 2, vips: 4.5, magick: 12 } });
  await benchPinnedWorkers(photographs, rounds);
  const grainy = await makePhotographs();
  await benchPictures('pictures with grain', grainy, { rounds, targets: { sharp: 1.5, vips: 3, magick: 8 } });
  await benchWorkers(grainy, rounds);
}

/**
 * @param {string} what @param {string[]} files
 * @param {{ rounds: number, targets: { sharp: number, vips: number, magick: number } }} options
 */
async function benchPictures(what, files, { rounds, targets }) {
  mkdirSync(OUT, { recursive: true });
  const stack = await startStack({
    name: 'bench',
    workers: 1,
    env: { UNIFERUM_WORKER_SLOTS: String(IN_FLIGHT) },
  });
  const uniferum = createClient({ baseUrl: stack.url, key: stack.key });
  await makeRecipes(uniferum);
  await takeIn(uniferum, files);
  const times = {
    engine: /** @type {number[]} */ ([]),
    sharp: /** @type {number[]} */ ([]),
    vips: /** @type {number[]} */ ([]),
  };
  for (let round = 0; round < rounds; round += 1) {
    times.engine.push(await byEngine(uniferum));
    times.sharp.push(await bySharpPerOutput(files));
    times.vips.push(await byVipsthumbnail(files));
  }
  const magick = (await byImageMagick(files.slice(0, MAGICK_PICTURES))) * (PICTURES / MAGICK_PICTURES);
  await stack.close();
  rmSync(OUT, { recursive: true, force: true });
  const own = median(times.engine);
  const against = (/** @type {number[]} */ others) => ({
    ratio: median(times.engine.map((time, n) => (others[n] ?? 0) / time)),
    detail: `${perSecond(own)} against ${perSecond(median(others))} pictures/s`,
  });
  for (const [tool, others, atLeast] of /** @type {[string, number[], number][]} */ ([
    ['sharp once per output, two pictures in flight', times.sharp, targets.sharp],
    ['one vipsthumbnail per output, a process per core', times.vips, targets.vips],
    ['ImageMagick once per output, a process per core', times.engine.map(() => magick), targets.magick],
  ])) {
    const { ratio, detail } = against(others);
    report(`renditions of ${what}: throughput against ${tool}`, ratio, { atLeast, detail });
  }
}

/** @param {number} time */
function perSecond(time) {
  return (PICTURES / time).toFixed(1);
}

/** Each worker has a core of its own, which the database and the server share with it. @param {string[]} files @param {number} rounds */
async function benchPinnedWorkers(files, rounds) {
  const { one, two } = await byWorkers(files, { rounds, isPinned: true });
  report(
    'renditions of photographs: two workers with a core each against one with one core',
    median(one.map((time, n) => time / (two[n] ?? 0))),
    { atLeast: 1.85, detail: `${perSecond(median(two))} against ${perSecond(median(one))} pictures/s` },
  );
}

/** @param {string[]} files @param {number} rounds */
async function benchWorkers(files, rounds) {
  const { one, two } = await byWorkers(files, { rounds, isPinned: false });
  report(
    'renditions: two workers with one slot each against one',
    median(one.map((time, n) => time / (two[n] ?? 0))),
    {
      atLeast: 1.8,
      detail: `${perSecond(median(two))} against ${perSecond(median(one))} pictures/s`,
    },
  );
}

/**
 * How long one and two workers with one slot each take, turn about.
 * @param {string[]} files @param {{ rounds: number, isPinned: boolean }} options
 */
async function byWorkers(files, { rounds, isPinned }) {
  const stacks = [];
  for (const workers of [1, 2]) {
    const stack = await startStack({ name: 'bench', workers, env: { UNIFERUM_WORKER_SLOTS: '1' } });
    if (isPinned) stack.workerPids.forEach(pin);
    const uniferum = createClient({ baseUrl: stack.url, key: stack.key });
    await makeRecipes(uniferum);
    await takeIn(uniferum, files);
    stacks.push({ stack, uniferum, times: /** @type {number[]} */ ([]) });
  }
  for (let round = 0; round < rounds; round += 1)
    for (const { uniferum, times } of stacks) times.push(await byEngine(uniferum));
  for (const { stack } of stacks) await stack.close();
  return { one: stacks[0]?.times ?? [], two: stacks[1]?.times ?? [] };
}

/** Keeps a process and those that it starts on one core. @param {number} pid @param {number} core */
function pin(pid, core) {
  const { status, stderr } = spawnSync('taskset', ['-a', '-p', '-c', String(core), String(pid)], {
    encoding: 'utf8',
  });
  if (status !== 0) throw new Error(`taskset: ${stderr}`);
}

// @ts-check
// The effect of a rebuild on users: the time of uploads meanwhile, and of the editor's preview.

import { randomBytes } from 'node:crypto';
import sharp from 'sharp';
import { createClient } from '../client/dist/index.js';
import { startStack } from '../tools/stack.mjs';
import { median, report } from './measure.mjs';

const UPLOADS = 24;

export async function benchBusy() {
  const stack = await startStack({ name: 'bench', workers: 1 });
  const uniferum = createClient({ baseUrl: stack.url, key: stack.key });
  const picture = await grainy(4240, 2832);
  const small = await grainy(1600, 1067);
  await uniferum.recipes.make({
    name: 'wide',
    title: 'Wide',
    folders: ['/rebuilt'],
    steps: [{ op: 'fit', mode: 'inside', width: 1600 }],
    output: { format: 'jpeg', quality: 80 },
  });
  const [first] = await uniferum.assets.upload({
    folder: '/tried',
    files: [{ name: 'twelve.jpg', data: new Blob([picture]) }],
  });
  const asset = first?.asset?.id ?? '';
  await preview(uniferum, asset, 1600);
  const previews = [];
  for (const width of [1590, 1580, 1500, 1400, 1300, 1200])
    previews.push(await preview(uniferum, asset, width));
  report(
    'busy: preview of a 12-megapixel JPEG after the first, fitted to 1200–1590, by the clock of the client',
    median(previews),
    {
      atMost: 300,
      unit: ' ms',
    },
  );

  const files = Array.from({ length: 60 }, (_, n) => ({
    name: `${n}.jpg`,
    data: new Blob([picture, `${n}`]),
  }));
  for (let at = 0; at < files.length; at += 10)
    await uniferum.assets.upload({ folder: '/rebuilt', files: files.slice(at, at + 10) });
  for await (const run of uniferum.runs.list()) await uniferum.runs.wait(run.id);
  const idle = await upload(uniferum, small, 'idle');
  const { run } = await uniferum.recipes.rebuild({ only: 'all' });
  const busy = await upload(uniferum, small, 'busy');
  const { state } = await uniferum.runs.get(run.id);
  if (state !== 'working') throw new Error(`Expected the rebuild to go on during the uploads, got ${state}`);
  await stack.close();
  report('busy: an upload during a rebuild against one without', busy / idle, {
    atMost: 2,
    detail: `${busy.toFixed(0)} against ${idle.toFixed(0)} ms`,
  });
}

/** @param {number} width @param {number} height */
async function grainy(width, height) {
  const noise = /** @type {any} */ ({
    create: {
      width,
      height,
      channels: 3,
      background: '#888',
      noise: { type: 'gaussian', mean: 128, sigma: 18 },
    },
  });
  return sharp(noise).jpeg({ quality: 85 }).toBuffer();
}

/** @param {ReturnType<typeof createClient>} uniferum @param {string} asset @param {number} width */
async function preview(uniferum, asset, width) {
  const began = performance.now();
  await uniferum.recipes.preview({
    asset,
    steps: [
      { op: 'fit', mode: 'inside', width },
      { op: 'sepia', amount: 0.4 },
    ],
    output: { format: 'jpeg', quality: 80 },
  });
  return performance.now() - began;
}

/** The middle time of uploads that come one after the other. @param {ReturnType<typeof createClient>} uniferum @param {Buffer} data @param {string} name */
async function upload(uniferum, data, name) {
  const times = [];
  for (let n = 0; n < UPLOADS; n += 1) {
    const file = { name: `${name}-${n}.jpg`, data: new Blob([data, randomBytes(8)]) };
    const began = performance.now();
    await uniferum.assets.upload({ folder: '/uploads', files: [file] });
    times.push(performance.now() - began);
  }
  return median(times);
}

// @ts-check
// The response time of the API while the worker renders on every core.

import sharp from 'sharp';
import { createClient } from '../client/dist/index.js';
import { startStack } from '../tools/stack.mjs';
import { report } from './measure.mjs';

export async function benchConsole() {
  const stack = await startStack({ name: 'bench', workers: 1 });
  const uniferum = createClient({ baseUrl: stack.url, key: stack.key });
  for (const side of [1600, 1000, 480])
    await uniferum.recipes.make({
      name: `s${side}`,
      title: `${side}`,
      steps: [{ op: 'fit', mode: 'inside', width: side, height: side }],
    });
  const noise = /** @type {any} */ ({
    create: {
      width: 3600,
      height: 2400,
      channels: 3,
      background: '#888',
      noise: { type: 'gaussian', mean: 128, sigma: 25 },
    },
  });
  const data = await sharp(noise).jpeg({ quality: 85 }).toBuffer();
  const files = Array.from({ length: 40 }, (_, n) => ({ name: `${n}.jpg`, data: new Blob([data, `${n}`]) }));
  await uniferum.assets.upload({ folder: '/busy', files });
  const times = [];
  for (;;) {
    const began = performance.now();
    await uniferum.assets.list({ folder: '/', deep: true, limit: 60 });
    times.push(performance.now() - began);
    const { items } = await uniferum.runs.list({ limit: 1 });
    if (items[0]?.state === 'done') break;
  }
  await stack.close();
  const sorted = times.sort((a, b) => a - b);
  report(
    `console: 95th percentile of a list of 60 while 40 pictures are made, of ${times.length} requests`,
    sorted[Math.floor(sorted.length * 0.95)] ?? Number.NaN,
    { atMost: 100, unit: ' ms' },
  );
}

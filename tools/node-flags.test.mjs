import { spawnSync } from 'node:child_process';
import { expect, test } from 'vitest';
import { nodeFlags } from './node-flags.mjs';

test('workers have more room for young objects, and other parts the default of Node', () => {
  expect(nodeFlags('/app/server/dist/main.js')).toEqual([]);
  const heapLimit = (/** @type {string[]} */ flags) => {
    const script = "console.log(require('v8').getHeapStatistics().heap_size_limit)";
    const { stdout } = spawnSync(process.execPath, [...flags, '-e', script], { encoding: 'utf8' });
    return Number(stdout);
  };
  const ofWorkers = nodeFlags('/app/server/dist/worker-main.js');
  expect(heapLimit(ofWorkers)).toBeGreaterThan(heapLimit([]));
});

import { spawnSync } from 'node:child_process';
import { expect, test } from 'vitest';
import { nodeFlags } from './node-flags.mjs';

test('workers have more room for young objects, and other parts the default of Node', () => {
  expect(nodeFlags('/app/server/dist/main.js')).toEqual([]);
  const script = `console.log(require('v8').getHeapSpaceStatistics().find((one) => one.space_name === 'new_space') !== undefined)`;
  const { status, stdout } = spawnSync(
    process.execPath,
    [...nodeFlags('/app/server/dist/worker-main.js'), '-e', script],
    {
      encoding: 'utf8',
    },
  );
  expect([status, stdout.trim()]).toEqual([0, 'true']);
  expect(nodeFlags('/app/server/dist/worker-main.js').join()).toContain('semi-space');
});

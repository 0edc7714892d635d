import { mkdtemp, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, test } from 'vitest';
import { isDiskFull, runTool } from './tool.js';

let folder: string;
beforeAll(async () => {
  folder = await mkdtemp(join(tmpdir(), 'uniferum-tool-'));
});
afterAll(() => rm(folder, { recursive: true, force: true }));

test('a tool that wants more memory than its limit ends with an error of its own', async () => {
  const greedy = ['if=/dev/zero', 'of=/dev/null', 'bs=4G', 'count=1'];
  await expect(runTool('dd', greedy, 'coreutils')).rejects.toThrow(/memory exhausted/);
});

test('a tool that is not there is named with the package that has it', async () => {
  await expect(runTool('no-such-tool', [], 'tools')).rejects.toThrow(
    'this worker has no "no-such-tool"; install the Debian package tools on its host',
  );
});

test('a full disk is told apart from a bad file', async () => {
  const error = await runTool('dd', ['if=/dev/zero', 'of=/dev/full', 'count=1'], 'coreutils').catch((e) => e);
  expect(isDiskFull(error)).toBe(true);
  expect(isDiskFull(await runTool('cat', [join(folder, 'none')], 'coreutils').catch((e) => e))).toBe(false);
});

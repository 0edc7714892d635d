import { execFileSync } from 'node:child_process';
import { mkdtemp, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, test } from 'vitest';
import { openSource, readDuration } from './sources.js';
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

test('a playlist in the guise of a film leads to no other file', async () => {
  const film = join(folder, 'film.mp4');
  execFileSync('ffmpeg', ['-v', 'error', '-f', 'lavfi', '-i', 'testsrc=duration=1:size=64x48', film]);
  expect(await readDuration(film)).toBeCloseTo(1, 1);
  const playlist = join(folder, 'playlist.mp4');
  await writeFile(playlist, `#EXTM3U\n#EXT-X-TARGETDURATION:2\n#EXTINF:1.0,\n${film}\n#EXT-X-ENDLIST\n`);
  const list = join(folder, 'list.avi');
  await writeFile(list, `ffconcat version 1.0\nfile '${film}'\n`);
  for (const path of [playlist, list]) {
    expect(await readDuration(path)).toBeNull();
    await expect(openSource({ path, kind: 'video', mime: 'video/mp4' }, null)).rejects.toThrow();
  }
});

import { execFileSync } from 'node:child_process';
import { mkdtemp, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, test } from 'vitest';
import { openSource, readDuration } from './sources.js';

let folder: string;
beforeAll(async () => {
  folder = await mkdtemp(join(tmpdir(), 'uniferum-films-'));
});
afterAll(() => rm(folder, { recursive: true, force: true }));

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
    await expect(openSource({ path, kind: 'video', mime: 'video/mp4' }, null, 1e8)).rejects.toThrow();
  }
});

// @ts-check
// 2,000 small files by the client, against a bare Node handler that writes and hashes each.
import { fork } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import { mkdirSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { createClient } from '@uniferum/client';
import { VAR } from '../tools/prepare.mjs';
import { startStack } from '../tools/stack.mjs';
import { inParallel, median, report, seconds } from './measure.mjs';

const FILES = 2000;
const FILE_BYTES = 20_000;
const FILES_PER_REQUEST = 50;
const FOLDER = join(VAR, 'bench-small');

export async function benchSmallFiles(rounds = 5) {
  mkdirSync(FOLDER, { recursive: true });
  const stack = await startStack({ name: 'bench', workers: 0 });
  const bare = fork(new URL('./bare-handler.mjs', import.meta.url), [FOLDER, 'many']);
  const port = await new Promise((resolve) => bare.once('message', resolve));
  const uniferum = createClient({ baseUrl: stack.url, key: stack.key });
  const ratios = [];
  const speeds = [];
  for (let round = 0; round < rounds; round += 1) {
    const files = Array.from({ length: FILES }, (_, n) => ({
      name: `${round}-${n}.bin`,
      data: new Blob([randomBytes(FILE_BYTES)]),
    }));
    const chunks = Array.from({ length: FILES / FILES_PER_REQUEST }, (_, n) =>
      files.slice(n * FILES_PER_REQUEST, (n + 1) * FILES_PER_REQUEST),
    );
    const other = await seconds(() =>
      inParallel(files, 2, async ({ data }) => {
        const response = await fetch(`http://127.0.0.1:${port}`, { method: 'POST', body: data });
        await response.text();
      }),
    );
    const own = await seconds(() =>
      inParallel(chunks, 2, async (chunk) => {
        const results = await uniferum.assets.upload({ folder: '/bench', files: chunk });
        if (results.some(({ asset }) => asset === null)) throw new Error('A file was refused');
      }),
    );
    ratios.push(other / own);
    speeds.push([FILES / own, FILES / other]);
  }
  bare.kill();
  await stack.close();
  rmSync(FOLDER, { recursive: true, force: true });
  const detail = `${median(speeds.map(([own]) => own ?? 0)).toFixed(0)} against ${median(speeds.map(([, other]) => other ?? 0)).toFixed(0)} files/s`;
  report(
    'small files: speed of 2,000 files of 20 KB by the client against a bare Node handler',
    median(ratios),
    { atLeast: 0.5, detail },
  );
}

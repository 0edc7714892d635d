// @ts-check
// 5,000 files of 100 KB registered from the inbox, against `cp` and `sha256sum` over the same files.
import { execFileSync } from 'node:child_process';
import { randomFillSync } from 'node:crypto';
import { mkdirSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { createClient } from '@uniferum/client';
import { VAR } from '../tools/prepare.mjs';
import { startStack } from '../tools/stack.mjs';
import { median, report, seconds } from './measure.mjs';

const FILES = 5000;
const FILE_BYTES = 100_000;

/** New bytes for each round: what the library has already is another case. @param {string} folder @param {number} round */
function fillInbox(folder, round) {
  const block = Buffer.alloc(FILE_BYTES);
  for (let n = 0; n < FILES; n += 1) {
    const place = join(folder, `round-${round}`, String(n % 20));
    mkdirSync(place, { recursive: true });
    randomFillSync(block, 0, 64);
    block.writeUInt32LE(n, 64);
    writeFileSync(join(place, `${n}.bin`), block);
  }
}

export async function benchInbox(rounds = 3) {
  const stack = await startStack({ name: 'bench', workers: 1 });
  const uniferum = createClient({ baseUrl: stack.url, key: stack.key });
  const ratios = [];
  const speeds = [];
  for (let round = 0; round < rounds; round += 1) {
    fillInbox(stack.inbox, round);
    const source = join(stack.inbox, `round-${round}`);
    const target = join(VAR, 'bench-copy');
    execFileSync('sync');
    const other = await seconds(async () => {
      execFileSync('cp', ['-r', source, target]);
      execFileSync('sh', ['-c', `find ${source} -type f -print0 | xargs -0 sha256sum > ${target}.sums`]);
    });
    rmSync(target, { recursive: true, force: true });
    rmSync(`${target}.sums`, { force: true });
    execFileSync('sync');
    const own = await seconds(async () => {
      const { run } = await uniferum.inbox.register({ folder: '/bench', mode: 'copy' });
      if (!run) throw new Error('Nothing was registered');
      const ended = await uniferum.runs.wait(run.id, { pollMs: 50 });
      if (ended.done !== FILES) throw new Error(`${ended.done} of ${FILES} were registered`);
    });
    ratios.push(other / own);
    speeds.push([FILES / own, FILES / other]);
    rmSync(source, { recursive: true });
  }
  await stack.close();
  const detail = `${median(speeds.map(([own]) => own ?? 0)).toFixed(0)} against ${median(speeds.map(([, other]) => other ?? 0)).toFixed(0)} files/s`;
  report('inbox: speed of registering 5,000 files of 100 KB against cp and sha256sum', median(ratios), {
    atLeast: 0.5,
    detail,
  });
}

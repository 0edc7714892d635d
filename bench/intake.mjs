// @ts-check
// 500 MB by HTTP, against a bare Node handler that writes and hashes the same body in a process of its own.
import { fork } from 'node:child_process';
import { randomFillSync } from 'node:crypto';
import { mkdirSync, openAsBlob, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { VAR } from '../tools/prepare.mjs';
import { startStack } from '../tools/stack.mjs';
import { median, report, seconds } from './measure.mjs';

const FILES = 5;
const FILE_BYTES = 100_000_000;
const FOLDER = join(VAR, 'bench-intake');

/** New bytes for each round: what the library has already is another case. @param {number} round */
function makeFiles(round) {
  mkdirSync(FOLDER, { recursive: true });
  const block = Buffer.alloc(1_000_000);
  return Array.from({ length: FILES }, (_, n) => {
    const file = join(FOLDER, `${n}.bin`);
    randomFillSync(block);
    block.writeUInt32LE(round, 0);
    writeFileSync(file, Buffer.concat(Array.from({ length: FILE_BYTES / block.length }, () => block)));
    return file;
  });
}

/** @param {string[]} files */
async function makeForm(files) {
  const form = new FormData();
  form.append('folder', '/bench');
  for (const [n, file] of files.entries()) form.append('file', await openAsBlob(file), `${n}.bin`);
  return form;
}

/** @param {string} url @param {string[]} files @param {Record<string, string>} headers */
async function send(url, files, headers) {
  const body = await makeForm(files);
  return seconds(async () => {
    const response = await fetch(url, { method: 'POST', body, headers });
    const text = await response.text();
    if (!response.ok) throw new Error(`${response.status}: ${text.slice(0, 200)}`);
  });
}

/** The peak resident memory of a process in MB. @param {number} pid */
function peakMemory(pid) {
  return Number(/VmHWM:\s+(\d+) kB/.exec(readFileSync(`/proc/${pid}/status`, 'utf8'))?.[1]) / 1000;
}

export async function benchIntake(rounds = 5) {
  const stack = await startStack({ name: 'bench', workers: 0 });
  const bare = fork(new URL('./bare-handler.mjs', import.meta.url), [FOLDER]);
  const port = await new Promise((resolve) => bare.once('message', resolve));
  const ratios = [];
  const speeds = [];
  let peak = 0;
  for (let round = 0; round < rounds; round += 1) {
    const files = makeFiles(round);
    const own = await send(`${stack.url}/api/v1/assets`, files, { Authorization: `Bearer ${stack.key}` });
    const other = await send(`http://127.0.0.1:${port}`, files, {});
    peak = Math.max(peak, peakMemory(stack.serverPid));
    ratios.push(other / own);
    speeds.push([own, other].map((time) => (FILES * FILE_BYTES) / 1e6 / time));
  }
  bare.kill();
  await stack.close();
  rmSync(FOLDER, { recursive: true, force: true });
  const detail = `${median(speeds.map(([own]) => own ?? 0)).toFixed(0)} against ${median(speeds.map(([, other]) => other ?? 0)).toFixed(0)} MB/s`;
  report(
    'intake: speed of 500 MB by HTTP against a bare Node handler that writes and hashes',
    median(ratios),
    { atLeast: 0.6, detail },
  );
  report('intake: most resident memory of the server meanwhile', peak, { atMost: 250, unit: ' MB' });
}

// @ts-check
// The server's memory during an upload of 2 GB, in one request and in parts.
import { execFileSync } from 'node:child_process';
import { openAsBlob, readFileSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { createClient } from '@uniferum/client';
import { VAR } from '../tools/prepare.mjs';
import { startStack } from '../tools/stack.mjs';
import { report } from './measure.mjs';

const BYTES = 2_000_000_000;

/** The peak resident memory of a process in MB. @param {number} pid */
function peakMemory(pid) {
  return Number(/VmHWM:\s+(\d+) kB/.exec(readFileSync(`/proc/${pid}/status`, 'utf8'))?.[1]) / 1000;
}

export async function benchMemory() {
  const stack = await startStack({ name: 'bench', workers: 0 });
  const uniferum = createClient({ baseUrl: stack.url, key: stack.key });
  const file = join(VAR, 'bench-large.bin');
  execFileSync('truncate', ['-s', '100M', file]);
  await uniferum.assets.upload({
    folder: '/bench',
    files: [{ name: 'warm.bin', data: await openAsBlob(file) }],
  });
  const before = peakMemory(stack.serverPid);
  execFileSync('truncate', ['-s', String(BYTES), file]);
  await uniferum.assets.upload({
    folder: '/bench',
    files: [{ name: 'whole.bin', data: await openAsBlob(file) }],
  });
  const whole = peakMemory(stack.serverPid);
  await uniferum.assets.uploadResumably({
    name: 'pieces.bin',
    folder: '/bench',
    data: await openAsBlob(file),
  });
  const pieces = peakMemory(stack.serverPid);
  await stack.close();
  rmSync(file);
  const detail = `${before.toFixed(0)} MB after 100 MB, ${whole.toFixed(0)} after 2 GB in one request, ${pieces.toFixed(0)} after 2 GB in pieces`;
  report('memory: most resident memory of the server over 2 GB against that over 100 MB', pieces / before, {
    atMost: 1.5,
    detail,
  });
}

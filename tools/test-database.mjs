// @ts-check
import { fork } from 'node:child_process';
import { once } from 'node:events';
import { mkdirSync, mkdtempSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { startMariaDb } from './mariadb.mjs';
import { ROOT, VAR } from './prepare.mjs';

/** One MariaDB for all test files, in a folder of its own that goes with it. @param {import('vitest/node').TestProject} project */
export async function setup(project) {
  mkdirSync(VAR, { recursive: true });
  const folder = mkdtempSync(join(VAR, 'test-db-'));
  // Test data need not survive a power failure.
  const { stop, host, port, user, password } = await startMariaDb(folder, { flushAtCommit: 0 });
  project.provide('database', { host, port, user, password });
  const bucket = project.name === 'bucket-home' ? await startBucket() : null;
  project.provide('homeBucket', bucket?.url ?? null);
  return async () => {
    await bucket?.stop();
    await stop();
    rmSync(folder, { recursive: true, force: true });
  };
}

/** A bucket store shared by all test installations, each with its own prefix; see server/src/testing/bucket.ts. */
async function startBucket() {
  const folder = mkdtempSync(join(VAR, 'test-bucket-'));
  const child = fork(join(ROOT, 'standins/dist/bucket/main.js'), {
    env: {
      ...process.env,
      BUCKET_FOLDER: folder,
      BUCKET_ACCESS_KEY: 'keeper',
      BUCKET_SECRET: 'lamp-and-lens',
      BUCKET_NAMES: 'lights',
    },
  });
  const [{ port }] = await once(child, 'message');
  const stop = async () => {
    const ended = once(child, 'exit');
    child.kill('SIGTERM');
    await ended;
    rmSync(folder, { recursive: true, force: true });
  };
  return { url: `http://127.0.0.1:${port}`, stop };
}

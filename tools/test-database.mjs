// @ts-check
import { mkdirSync, mkdtempSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { startMariaDb } from './mariadb.mjs';
import { VAR } from './prepare.mjs';

/** One MariaDB for all test files, in a folder of its own that goes with it. @param {import('vitest/node').TestProject} project */
export async function setup(project) {
  mkdirSync(VAR, { recursive: true });
  const folder = mkdtempSync(join(VAR, 'test-db-'));
  // What a test writes need not survive a power cut.
  const { stop, host, port, user, password } = await startMariaDb(folder, { flushAtCommit: 0 });
  project.provide('database', { host, port, user, password });
  return async () => {
    await stop();
    rmSync(folder, { recursive: true, force: true });
  };
}

// @ts-check
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

/** Gives tests a temporary folder of their own, which goes with all that they left there. */
export function setup() {
  const before = process.env.TMPDIR;
  const folder = mkdtempSync(join(tmpdir(), 'uniferum-tests-'));
  // Processes for tests are started afterwards, and inherit it.
  process.env.TMPDIR = folder;
  return () => {
    if (before === undefined) delete process.env.TMPDIR;
    else process.env.TMPDIR = before;
    rmSync(folder, { recursive: true, force: true });
  };
}

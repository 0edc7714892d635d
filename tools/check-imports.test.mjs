import { mkdirSync, mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { expect, test } from 'vitest';
import { findBreaches } from './check-imports.mjs';

/** A house with one file in it. */
function houseWith(file, text) {
  const root = mkdtempSync(join(tmpdir(), 'uniferum-house-'));
  mkdirSync(dirname(join(root, file)), { recursive: true });
  writeFileSync(join(root, file), text);
  return root;
}

test.each([
  ['core/src/rules/a.ts', "import { readFile } from 'node:fs';", 'core imports nothing from outside'],
  ['core/src/rules/a.ts', 'export const now = () => Date.now();', 'the clock'],
  ['core/src/runs/a.ts', 'export const x = Math.random();', 'randomness'],
  ['client/src/a.ts', "import { formatBytes } from '@uniferum/core';", 'only types of core'],
  ['client/src/a.ts', "import axios from 'some-package';", 'no dependencies'],
  [
    'server/src/runs/a.ts',
    "import { createClient } from '@uniferum/client';",
    'server may not import client',
  ],
  ['server/src/runs/engine.ts', "db.query('SELECT id FROM runs');", "SQL belongs into the room's queries"],
  ['web/src/runs/a.ts', "const x = await fetch('/api');", 'through the client only'],
  ['web/src/runs/a.ts', "import { App } from '@uniferum/server';", 'web may not import server'],
])('%s with %j is a breach', (file, text, reason) => {
  expect(findBreaches(houseWith(file, text)).join()).toContain(reason);
});

test.each([
  ['client/src/a.ts', "import type { Asset } from '@uniferum/core';"],
  ['server/src/runs/queries.ts', "db.query('SELECT id FROM runs');"],
  ['core/src/rules/a.test.ts', "import { expect } from 'vitest';"],
])('%s with %j is none', (file, text) => {
  expect(findBreaches(houseWith(file, text))).toEqual([]);
});

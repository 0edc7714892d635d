import { mkdirSync, mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { expect, test } from 'vitest';
import { findBreaches } from './check-imports.mjs';

/** A house with a few files in it. */
function houseOf(files) {
  const root = mkdtempSync(join(tmpdir(), 'uniferum-house-'));
  for (const [file, text] of Object.entries(files)) {
    mkdirSync(dirname(join(root, file)), { recursive: true });
    writeFileSync(join(root, file), text);
  }
  return root;
}

const houseWith = (file, text) => houseOf({ [file]: text });

test.each([
  ['core/src/rules/a.ts', "import { readFile } from 'node:fs';", 'core imports nothing from outside'],
  ['core/src/rules/a.ts', 'export const now = () => Date.now();', 'the clock'],
  ['core/src/runs/a.ts', 'export const x = Math.random();', 'randomness'],
  ['client/src/a.ts', "import { formatBytes } from '@uniferum/core/intake';", 'only types of core'],
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
  ['client/src/a.ts', "import type { Asset } from '@uniferum/core/library';"],
  ['server/src/runs/queries.ts', "db.query('SELECT id FROM runs');"],
  ['core/src/rules/a.test.ts', "import { expect } from 'vitest';"],
])('%s with %j is none', (file, text) => {
  expect(findBreaches(houseWith(file, text))).toEqual([]);
});

const roomOf = (name, needs = []) => ({
  [`server/src/${name}/room.ts`]: `export const room = { name: '${name}', needs: [${needs.map((one) => `'${one}'`)}] };`,
});

test('files that import each other are found, types included, however long the way round is', () => {
  const circle = {
    'web/src/runs/a.ts': "import type { B } from './b.js';",
    'web/src/runs/b.ts': "import { c } from './c.js';",
    'web/src/runs/c.ts': "export { a } from './a.js';",
  };
  expect(findBreaches(houseOf(circle))).toEqual([
    'these files import each other in a circle: web/src/runs/a.ts, web/src/runs/b.ts, web/src/runs/c.ts',
  ]);
  const later = { ...circle, 'web/src/runs/c.ts': "export const a = () => import('./a.js');" };
  expect(findBreaches(houseOf(later))).toEqual([]);
});

test('a room imports only what it needs', () => {
  const files = {
    ...roomOf('runs'),
    ...roomOf('library', ['runs']),
    'server/src/runs/engine.ts': 'export const engine = 1;',
    'server/src/library/work.ts': "import { engine } from '../runs/engine.js';",
  };
  expect(findBreaches(houseOf(files))).toEqual([]);
  const without = { ...files, ...roomOf('library') };
  expect(findBreaches(houseOf(without))).toEqual([
    'server/src/library/work.ts:1: library imports runs, which is not among its needs',
  ]);
});

test('what is shared knows no room, and no room knows the house but for its own shape', () => {
  const files = {
    ...roomOf('runs'),
    'server/src/house/room.ts': 'export interface Room { name: string }',
    'server/src/house/compose.ts': 'export const compose = 1;',
    'server/src/shared/a.ts': "import { room } from '../runs/room.js';",
    'server/src/runs/b.ts': "import { compose } from '../house/compose.js';",
  };
  expect(findBreaches(houseOf(files)).sort()).toEqual([
    'server/src/runs/b.ts:1: runs imports house, which is not among its needs',
    'server/src/shared/a.ts:1: shared imports runs, which is not among its needs',
  ]);
});

test('rooms that need each other are found', () => {
  const breaches = findBreaches(houseOf({ ...roomOf('runs', ['library']), ...roomOf('library', ['runs']) }));
  expect(breaches.join()).toContain('rooms need each other in a circle: runs → library → runs');
});

test('a table has one room that writes it', () => {
  const files = {
    ...roomOf('runs'),
    ...roomOf('library'),
    'server/src/runs/queries.ts': "change(db, 'UPDATE run_items SET state = ?');",
    'server/src/library/queries.ts': "change(db, 'DELETE FROM run_items WHERE id = ?');",
  };
  expect(findBreaches(houseOf(files))).toEqual([
    'the table run_items is written by library and runs; ask the room by function',
  ]);
});

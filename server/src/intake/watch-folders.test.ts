import { mkdtempSync, rmSync } from 'node:fs';
import { appendFile, mkdir, rename, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterEach, beforeEach, expect, test } from 'vitest';
import { eventually } from '../testing/harness.js';
import { FolderWatch } from './watch-folders.js';

let root: string;
let changes: number;
let errors: unknown[];
let watching: FolderWatch;
beforeEach(async () => {
  root = mkdtempSync(join(tmpdir(), 'uniferum-watch-'));
  changes = 0;
  errors = [];
  watching = new FolderWatch({
    onChange: () => {
      changes += 1;
    },
    onError: (error) => errors.push(error),
  });
  await mkdir(join(root, 'a/b'), { recursive: true });
  await mkdir(join(root, '.hidden'));
  await watching.add(root);
});
afterEach(() => {
  watching.close();
  rmSync(root, { recursive: true, force: true });
  expect(errors).toEqual([]);
});

/** Does something, and waits until it was told of. */
async function expectTold(work: () => Promise<unknown>): Promise<void> {
  const before = changes;
  await work();
  await eventually(async () => changes > before);
}
const watched = () => watching.folders.map((folder) => folder.slice(root.length)).sort();

test('what comes, changes and goes is told, however deep', async () => {
  const file = join(root, 'a/b/file.txt');
  await expectTold(() => writeFile(file, 'one'));
  await expectTold(() => appendFile(file, 'two'));
  await expectTold(() => rename(file, join(root, 'moved.txt')));
  await expectTold(() => rm(join(root, 'moved.txt')));
});

test('folders are watched and files are not, and hidden ones remaining rows are ignored', async () => {
  await Promise.all(Array.from({ length: 50 }, (_, n) => writeFile(join(root, `a/${n}.txt`), 'x')));
  expect(watched()).toEqual(['', '/a', '/a/b']);
});

test('folders that come later are watched with all below them, those that go are not', async () => {
  await mkdir(join(root, 'new/deep/deeper'), { recursive: true });
  await eventually(async () => watched().includes('/new/deep/deeper'));
  await expectTold(() => writeFile(join(root, 'new/deep/deeper/file.txt'), 'x'));
  await rename(join(root, 'new'), join(root, 'a/taken'));
  await eventually(async () => watched().includes('/a/taken/deep/deeper') && !watched().includes('/new'));
  await rm(join(root, 'a'), { recursive: true });
  await eventually(async () => watched().length === 1);
  expect(watched()).toEqual(['']);
});

test('a folder that goes takes only those below it', async () => {
  for (const name of ['a-b', 'ab/b', 'c/a']) await mkdir(join(root, name), { recursive: true });
  const others = ['', '/a-b', '/ab', '/ab/b', '/c', '/c/a'];
  await eventually(async () => watched().length === others.length + 2);
  await rm(join(root, 'a'), { recursive: true });
  await eventually(async () => watched().length === others.length);
  expect(watched()).toEqual(others);
});

test('a folder that takes the place of another of its name is watched, with all below it', async () => {
  await mkdir(join(root, 'other/inside'), { recursive: true });
  await eventually(async () => watched().includes('/other/inside'));
  await rename(join(root, 'a'), join(root, '.aside'));
  await rename(join(root, 'other'), join(root, 'a'));
  await eventually(async () => watched().join() === ',/a,/a/inside');
  await expectTold(() => writeFile(join(root, 'a/inside/file.txt'), 'x'));
});

test("what can't be watched is reported, and what is no folder or is gone is not", async () => {
  await writeFile(join(root, 'file.txt'), 'x');
  await watching.add(join(root, 'file.txt'));
  await watching.add(join(root, 'gone'));
  expect(errors).toEqual([]);
  await watching.add(join(root, 'x'.repeat(300)));
  expect(errors.splice(0)).toMatchObject([{ code: 'ENAMETOOLONG' }]);
  expect(watched()).toEqual(['', '/a', '/a/b']);
});

test('a burst of folders leaves none out', async () => {
  await Promise.all(
    Array.from({ length: 60 }, (_, n) => mkdir(join(root, `burst-${n}/inside`), { recursive: true })),
  );
  await eventually(async () => watched().filter((folder) => folder.endsWith('/inside')).length === 60);
});

test('a root that goes away is watched again when it is added again', async () => {
  await rm(root, { recursive: true });
  await eventually(async () => watching.folders.length === 0);
  await watching.add(root);
  expect(watching.folders).toEqual([]);
  await mkdir(root);
  await watching.add(root);
  await expectTold(() => writeFile(join(root, 'back.txt'), 'x'));
});

test('closing ends it', async () => {
  watching.close();
  expect(watching.folders).toEqual([]);
  await watching.add(root);
  expect(watching.folders).toEqual([]);
});

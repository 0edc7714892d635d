import { mkdtempSync } from 'node:fs';
import { mkdir, open, readdir, rename, rm, unlink } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, expect, test } from 'vitest';
import { sayFault } from './local-fault.js';

const folder = mkdtempSync(join(tmpdir(), 'uniferum-cli-'));
afterAll(() => rm(folder, { recursive: true }));
const gone = join(folder, 'gone', 'file');

const faultOf = (work: Promise<unknown>) =>
  work.then(
    () => 'none',
    (error: unknown) => sayFault(error),
  );

test('a fault of the file system names the file and the reason', async () => {
  expect(await faultOf(open(gone))).toBe(`${gone} can't be opened: no such file or directory.`);
  expect(await faultOf(readdir(gone))).toBe(`${gone} can't be opened: no such file or directory.`);
  expect(await faultOf(mkdir(folder))).toBe(`${folder} can't be created: file already exists.`);
  expect(await faultOf(unlink(gone))).toBe(`${gone} can't be deleted: no such file or directory.`);
  expect(await faultOf(rename(gone, folder))).toBe(`${gone} can't be renamed: no such file or directory.`);
  const full = Object.assign(new Error('ENOSPC: no space left on device, write'), {
    ...{ code: 'ENOSPC', syscall: 'write' },
  });
  expect(sayFault(full)).toBe("A file can't be written: no space left on device.");
});

test('anything else is said as it is', () => {
  expect(sayFault(new Error('There is no file.'))).toBe('There is no file.');
  expect(sayFault(Object.assign(new Error('odd'), { code: 'EODD', syscall: 'read' }))).toBe('odd');
  expect(sayFault('stopped')).toBe('stopped');
});

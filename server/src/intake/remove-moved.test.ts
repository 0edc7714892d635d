import { randomUUID } from 'node:crypto';
import { link, mkdir, mkdtemp, readdir, readFile, rename, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterEach, beforeEach, describe, expect, test, vi } from 'vitest';
import { identify } from '../stores/staging.js';
import { removeRead, restoreNames } from './remove-moved.js';

let folder: string;
beforeEach(async () => {
  folder = await mkdtemp(join(tmpdir(), 'moved-'));
});
afterEach(() => rm(folder, { recursive: true }));

const at = (name: string) => join(folder, name);
const names = async () => (await readdir(folder)).sort();
const asideOf = (name: string) => `.${name}.${randomUUID()}`;

async function written(name: string, text: string) {
  await writeFile(at(name), text);
  return identify(at(name));
}

describe('a file that was read', () => {
  test('is removed, and no other', async () => {
    await written('b.txt', 'other');
    await removeRead(at('a.txt'), await written('a.txt', 'read'));
    expect(await names()).toEqual(['b.txt']);
  });

  test('stays under its name, if it has changed', async () => {
    const read = await written('a.txt', 'read');
    await writeFile(at('a.txt'), 'read, then continued');
    await removeRead(at('a.txt'), read);
    expect(await names()).toEqual(['a.txt']);
    expect(await readFile(at('a.txt'), 'utf8')).toBe('read, then continued');
  });

  test('that is gone, in a folder that is gone, is nothing to complain about', async () => {
    const read = await written('a.txt', 'read');
    await rm(at('a.txt'));
    await removeRead(at('a.txt'), read);
    await removeRead(at('no/such/a.txt'), read);
    expect(await names()).toEqual([]);
  });

  test('in a folder that is a file, is an error', async () => {
    const read = await written('a.txt', 'read');
    await expect(removeRead(at('a.txt/b.txt'), read)).rejects.toMatchObject({ code: 'ENOTDIR' });
    expect(await names()).toEqual(['a.txt']);
  });
});

describe('a file that a dead worker had set aside', () => {
  test('is removed, beside others that stay', async () => {
    const read = await written('a.txt', 'read');
    const others = [asideOf('a.txt'), asideOf('b.txt'), asideOf('a.tx'), asideOf('a.txt.txt')];
    for (const other of others) await written(other, 'read');
    await rename(at('a.txt'), at(asideOf('a.txt')));
    await removeRead(at('a.txt'), read);
    expect(await names()).toEqual(others.sort());
  });

  test('stays, if it has changed', async () => {
    const read = await written('a.txt', 'read');
    const aside = asideOf('a.txt');
    await rename(at('a.txt'), at(aside));
    await writeFile(at(aside), 'continued');
    await removeRead(at('a.txt'), read);
    expect(await names()).toEqual([aside]);
  });

  test('stays, if only its name is that of another file, or not such a name at all', async () => {
    const read = await written('a.txt', 'read');
    const others = [
      asideOf('b.txt'),
      `.a.txt.${randomUUID()}.bak`,
      `a.txt.${randomUUID()}`,
      `.a.txt.${randomUUID().slice(1)}`,
    ];
    for (const other of others) await link(at('a.txt'), at(other));
    await rm(at('a.txt'));
    await removeRead(at('a.txt'), read);
    expect(await names()).toEqual(others.sort());
  });

  test("doesn't make the removal fail, if it is a folder", async () => {
    const read = await written('a.txt', 'read');
    await rename(at('a.txt'), at(asideOf('a.txt')));
    await mkdir(at(asideOf('a.txt')));
    await removeRead(at('a.txt'), read);
    expect(await names()).toHaveLength(1);
  });
});

describe('names of files that dead workers had set aside', () => {
  afterEach(() => {
    vi.useRealTimers();
  });
  const later = (ms: number) => vi.useFakeTimers({ toFake: ['Date'], now: Date.now() + ms });
  const texts = async () => Promise.all((await names()).map(async (name) => readFile(at(name), 'utf8')));

  test('are restored, also in folders below', async () => {
    await written(asideOf('a.txt'), 'a');
    await mkdir(at('deep/er'), { recursive: true });
    await written(`deep/er/${asideOf('b.tar.gz')}`, 'b');
    later(120_000);
    await restoreNames(folder);
    expect(await names()).toEqual(['a.txt', 'deep']);
    expect(await readdir(at('deep/er'))).toEqual(['b.tar.gz']);
  });

  test('are left alone while their worker may be alive', async () => {
    const aside = asideOf('a.txt');
    await written(aside, 'a');
    later(30_000);
    await restoreNames(folder);
    expect(await names()).toEqual([aside]);
  });

  test('that have been taken since become similar ones, and nothing is overwritten', async () => {
    await written('a.b.txt', 'first');
    await written('a.b-2.txt', 'second');
    await written(asideOf('a.b.txt'), 'third');
    await written(asideOf('a.b.txt'), 'fourth');
    await written('none', 'one');
    await written(asideOf('none'), 'two');
    later(120_000);
    await restoreNames(folder);
    expect(await names()).toEqual(['a.b-2.txt', 'a.b-3.txt', 'a.b-4.txt', 'a.b.txt', 'none', 'none-2']);
    expect((await texts()).sort()).toEqual(['first', 'second', 'third', 'fourth', 'one', 'two'].sort());
    expect(await readFile(at('a.b.txt'), 'utf8')).toBe('first');
  });

  test('are restored once, when several servers do it at the same time', async () => {
    const own = Array.from({ length: 20 }, (_, n) => `${n}.txt`);
    for (const name of own) await written(asideOf(name), name);
    later(120_000);
    await Promise.all([restoreNames(folder), restoreNames(folder), restoreNames(folder)]);
    expect(await names()).toEqual(own.sort());
    expect(await texts()).toEqual(await names());
  });

  test('are not looked for where there is no folder', async () => {
    await restoreNames(at('no/such'));
    expect(await names()).toEqual([]);
  });
});

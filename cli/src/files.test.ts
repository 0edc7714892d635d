import { mkdir, mkdtemp, rm, symlink, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, test } from 'vitest';
import { listFiles } from './files.js';

let root: string;
beforeAll(async () => {
  root = await mkdtemp(join(tmpdir(), 'uniferum-cli-'));
  await mkdir(join(root, 'gannet/near'), { recursive: true });
  await writeFile(join(root, 'gannet/b.jpg'), 'two');
  await writeFile(join(root, 'gannet/a.jpg'), 'one!');
  await writeFile(join(root, 'gannet/near/c.jpg'), '');
  await writeFile(join(root, 'gannet/.hidden'), 'no');
  await symlink('/etc/passwd', join(root, 'gannet/link.jpg'));
});
afterAll(() => rm(root, { recursive: true }));

test('a folder keeps its tree below the target, in the order of names, without hidden files and links', async () => {
  const files = await listFiles([join(root, 'gannet')], '/lights');
  expect(files.map(({ folder, name, bytes }) => [folder, name, bytes])).toEqual([
    ['/lights/gannet', 'a.jpg', 4],
    ['/lights/gannet', 'b.jpg', 3],
    ['/lights/gannet/near', 'c.jpg', 0],
  ]);
});

test('files go into the target itself, also into the root', async () => {
  const [file] = await listFiles([join(root, 'gannet/a.jpg')], '/');
  expect(file).toMatchObject({ folder: '/', name: 'a.jpg' });
  const [inFolder] = await listFiles([join(root, 'gannet/near')], '/');
  expect(inFolder).toMatchObject({ folder: '/near', name: 'c.jpg' });
});

test('one that is missing is named', async () => {
  await expect(listFiles([join(root, 'nothing.jpg')], '/')).rejects.toThrow('nothing.jpg');
});

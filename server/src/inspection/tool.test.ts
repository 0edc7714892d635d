import { mkdtempSync } from 'node:fs';
import { rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import sharp from 'sharp';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { mountSmallDisk } from '../testing/faults.js';
import { isDiskFull, runTool } from './tool.js';

const folder = mkdtempSync(join(tmpdir(), 'uniferum-tool-'));
afterAll(() => rm(folder, { recursive: true, force: true }));

test('a tool that wants more memory than its limit ends with an error of its own', async () => {
  const greedy = ['if=/dev/zero', 'of=/dev/null', 'bs=4G', 'count=1'];
  await expect(runTool('dd', greedy, 'coreutils')).rejects.toThrow(/memory exhausted/);
});

test('a tool that is not there is named with the package that has it', async () => {
  await expect(runTool('no-such-tool', [], 'tools')).rejects.toThrow(
    'this worker has no "no-such-tool"; install the Debian package tools on its host',
  );
});

test('a full disk is told apart from a bad file', async () => {
  const error = await runTool('dd', ['if=/dev/zero', 'of=/dev/full', 'count=1'], 'coreutils').catch((e) => e);
  expect(isDiskFull(error)).toBe(true);
  expect(isDiskFull(await runTool('cat', [join(folder, 'none')], 'coreutils').catch((e) => e))).toBe(false);
});

const small = mkdtempSync(join(tmpdir(), 'uniferum-small-'));
const disk = mountSmallDisk(small, 2);

// Of these programs, not all say that it is the disk.
describe.skipIf(disk === null)('a full temporary folder', () => {
  const before = process.env.TMPDIR;
  beforeAll(async () => {
    const pixels = Buffer.from(Array.from({ length: 900 * 700 * 3 }, (_, n) => (n * 7919) % 251));
    const picture = sharp(pixels, { raw: { width: 900, height: 700, channels: 3 } });
    await picture.clone().jpeg({ quality: 95 }).toFile(join(folder, 'a.jpg'));
    await picture.clone().tiff({ compression: 'none' }).toFile(join(folder, 'a.tif'));
    process.env.TMPDIR = small;
    disk?.fill(100_000);
  });
  afterAll(() => {
    if (before === undefined) delete process.env.TMPDIR;
    else process.env.TMPDIR = before;
    disk?.remove();
  });

  test.each([
    ['jpegtran', ['-copy', 'all', '-outfile', join(small, 'o.jpg'), join(folder, 'a.jpg')]],
    ['convert', [`tiff:${join(folder, 'a.tif')}[0]`, '-compress', 'none', `tiff:${join(small, 'o.tif')}`]],
    ['vips', ['jpegload', join(folder, 'a.jpg'), join(small, 'o.tif')]],
  ])('is not a fault of the file for %s', async (command, args) => {
    const said = await runTool(command, args, 'none').catch((error) => error);
    expect(isDiskFull(said)).toBe(true);
  });
});

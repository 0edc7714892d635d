// @ts-check
// Photographs as people have them: out of Debian's packages of wallpapers, which are unpacked and not installed.
import { spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, readdirSync, renameSync, rmSync } from 'node:fs';
import { copyFile } from 'node:fs/promises';
import { join } from 'node:path';
import sharp from 'sharp';
import { VAR } from '../tools/prepare.mjs';

const PACKAGES = [
  'desktop-base',
  'gnome-backgrounds',
  'lomiri-wallpapers-16.04',
  'lomiri-wallpapers-20.04',
  'lxqt-themes',
  'mate-backgrounds',
  'plasma-workspace-wallpapers',
  'ukui-wallpapers',
];
const [LEAST_PX, MOST_PX] = [2e6, 12e6];

/**
 * Photographs of 2–12 megapixels; larger ones are reduced. Kept for the next time.
 *
 * @param {number} wanted
 * @returns {Promise<string[]>} their paths
 */
export async function takeWallpapers(wanted) {
  const folder = join(VAR, 'bench-wallpapers');
  if (!existsSync(folder)) await unpack(folder, wanted);
  const files = readdirSync(folder)
    .sort()
    .map((name) => join(folder, name));
  if (files.length < wanted) throw new Error(`${files.length} photographs were found; ${wanted} are needed`);
  return files.slice(0, wanted);
}

/** @param {string} folder @param {number} wanted */
async function unpack(folder, wanted) {
  const beside = `${folder}.part`;
  const packages = join(beside, 'packages');
  rmSync(beside, { recursive: true, force: true });
  mkdirSync(packages, { recursive: true });
  run('apt-get', ['-qq', '-o', 'APT::Sandbox::User=root', 'download', ...PACKAGES], packages);
  for (const name of readdirSync(packages)) run('dpkg-deb', ['-x', name, beside], packages);
  const kept = join(beside, 'kept');
  mkdirSync(kept);
  const found = readdirSync(beside, { recursive: true, withFileTypes: true })
    .filter((one) => one.isFile() && /\.jpe?g$/i.test(one.name))
    .map((one) => join(one.parentPath, one.name))
    .sort();
  const sizes = await Promise.all(
    found.map(async (path) => {
      const { width = 0, height = 0 } = await sharp(path).metadata();
      return { path, pixels: width * height, width };
    }),
  );
  // Those that are as they are first.
  const usable = sizes.filter(({ pixels }) => pixels >= LEAST_PX);
  usable.sort((a, b) => Number(a.pixels > MOST_PX) - Number(b.pixels > MOST_PX));
  for (const [n, { path, pixels, width }] of usable.slice(0, wanted).entries()) {
    const target = join(kept, `photo-${String(n).padStart(2, '0')}.jpg`);
    if (pixels <= MOST_PX) await copyFile(path, target);
    else
      await sharp(path)
        .resize(Math.floor(width * Math.sqrt(MOST_PX / pixels)))
        .jpeg({ quality: 92 })
        .toFile(target);
  }
  renameSync(kept, folder);
  rmSync(beside, { recursive: true, force: true });
}

/** @param {string} command @param {string[]} args @param {string} cwd */
function run(command, args, cwd) {
  const { status, stderr } = spawnSync(command, args, { cwd, encoding: 'utf8' });
  if (status !== 0) throw new Error(`${command} ${args[0]} failed: ${stderr}`);
}

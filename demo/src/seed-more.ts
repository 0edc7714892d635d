import { openAsBlob } from 'node:fs';
import { copyFile, mkdir, readdir, utimes, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { createClient, isUniferumApiError, type UniferumClient } from '@uniferum/client';
import sharp from 'sharp';
import { LIGHTS } from './scenario.js';

const FILTERS = [
  { name: 'Without alternative text', q: 'kind:image alt:none' },
  { name: 'Storms and dusks of this year', q: '(storm or dusk) captured:2026' },
  { name: 'Large pictures', q: 'kind:image size>500kb' },
  { name: 'Not optimised yet', q: 'recipe:wide=due or recipe:wide=failed' },
];

const LINKS = ['winding-the-clockwork', 'relief-boat', 'first-light'];

/** Files in the inbox: a few new ones, a duplicate, one that is refused, and one still being written. */
const INBOX: readonly { from: string; as: string }[] = [
  { from: 'lights/the-maiden/the-maiden-storm.jpg', as: 'from-the-boat/the-maiden-in-a-gale.jpg' },
  { from: 'lights/gannet-head/gannet-head-dusk.jpg', as: 'gannet-head-dusk.jpg' },
  { from: 'wrong/visitors.exe', as: 'visitors.exe' },
];

/** Adds links, versions, similar pictures and inbox files to a filled library. */
export async function seedMore({
  url,
  key,
  files,
  inbox,
  provider,
  onProgress,
}: {
  url: string;
  key: string;
  files: string;
  inbox: string;
  provider: string;
  onProgress: (text: string) => void;
}): Promise<void> {
  const uniferum = createClient({ baseUrl: url, key });
  onProgress('Keeping links to films');
  for (const slug of LINKS)
    await uniferum.assets.fetch({ source: `${provider}/films/${slug}`, folder: '/films', as: 'link' });
  onProgress('Editing a few pictures');
  await editPictures(uniferum, files);
  for (const filter of FILTERS) await unlessThere(() => uniferum.filters.save(filter));
  onProgress('Filling the inbox');
  await fillInbox(files, inbox);
  for await (const run of uniferum.runs.list()) await uniferum.runs.wait(run.id);
}

/** A picture that was edited after publishing, and one imported again, smaller and in grey. */
async function editPictures(uniferum: UniferumClient, files: string): Promise<void> {
  const original = join(files, 'lights/gannet-head/gannet-head-day.jpg');
  const edited = await sharp(original)
    .modulate({ brightness: 1.12, saturation: 1.2 })
    .keepExif()
    .jpeg({ quality: 86 })
    .toBuffer();
  const found = await uniferum.assets.list({ folder: '/lights/gannet-head', limit: 200 });
  const asset = found.items.find(({ name, version }) => name === 'gannet-head-day.jpg' && version === 1);
  if (asset) await uniferum.assets.replace(asset.id, new Blob([edited as BlobPart], { type: 'image/jpeg' }));
  const grey = await sharp(join(files, 'lights/whin-ness/whin-ness-day.jpg'))
    .resize(900)
    .greyscale()
    .jpeg({ quality: 72 })
    .toBuffer();
  await uniferum.assets.upload({
    folder: '/news',
    files: [{ name: 'whin-ness-for-print.jpg', data: new Blob([grey as BlobPart]) }],
    idempotencyKey: 'demo-look-alike',
  });
}

async function fillInbox(files: string, inbox: string): Promise<void> {
  for (const { from, as } of INBOX) {
    const target = join(inbox, as);
    await mkdir(join(target, '..'), { recursive: true });
    await copyFile(join(files, from), target).catch(() => {});
  }
  for (const [index, light] of LIGHTS.entries()) {
    const target = join(inbox, 'scans', `${light.slug}-${1900 + index * 4}.jpg`);
    await mkdir(join(target, '..'), { recursive: true });
    // An old scan: brown, soft and grained.
    await sharp(await somePicture(files, light.slug))
      .resize(1100)
      .greyscale()
      .tint({ r: 190, g: 150, b: 105 })
      .blur(1.1)
      .jpeg({ quality: 76 })
      .toFile(target);
    const when = new Date(Date.UTC(2026, 9, 3 + index, 14));
    await utimes(target, when, when);
  }
  await writeFile(
    join(inbox, 'relief-boat.jpg.part'),
    await (await openAsBlob(join(files, INBOX[1]?.from ?? '')))
      .slice(0, 40_000)
      .arrayBuffer()
      .then((data) => new Uint8Array(data)),
  );
}

/** A painted view of a light: not every light has one for every hour. */
async function somePicture(files: string, slug: string): Promise<string> {
  const folder = join(files, 'lights', slug);
  const name = (await readdir(folder)).sort().find((one) => one.endsWith('.jpg'));
  if (name === undefined) throw new Error(`Expected a picture in ${folder}, got none`);
  return join(folder, name);
}

async function unlessThere(make: () => Promise<unknown>): Promise<void> {
  try {
    await make();
  } catch (error) {
    if (!isUniferumApiError(error) || error.status !== 409) throw error;
  }
}

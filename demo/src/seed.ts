import { openAsBlob } from 'node:fs';
import { readdir } from 'node:fs/promises';
import { basename, join } from 'node:path';
import { createClient, isUniferumApiError, type RecipeRequest, type UniferumClient } from '@uniferum/client';
import { chunkBatch } from '@uniferum/core/intake';
import type { FolderRules } from '@uniferum/core/rules';
import { LIGHTS } from './scenario.js';

const RULES: Record<string, Partial<FolderRules>> = {
  '/': { deny: ['exe', 'html', 'js'], maxBytes: 50_000_000, duplicates: 'warn' },
  '/lights': { allow: ['image/*', 'svg'], maxBytes: 12_000_000, minWidth: 640 },
  '/news': { allow: ['jpg', 'png', 'webp'], maxBytes: 5_000_000, maxItems: 12 },
  '/chart-room': { allow: ['pdf', 'csv', 'gz'], maxBytes: 20_000_000 },
  '/sound-and-film': { allow: ['audio/*', 'video/*'], maxBytes: 40_000_000 },
};

const RECIPES: readonly (RecipeRequest & { name: string })[] = [
  {
    name: 'wide',
    title: 'Wide, for the head of a page',
    kinds: ['image', 'vector'],
    steps: [{ op: 'fit', width: 1600, height: 1600, mode: 'inside' }],
    output: { format: 'jpeg', quality: 80, metadata: 'rights', also: ['webp'] },
    ladder: { widths: [1600, 1000, 640] },
  },
  {
    name: 'column',
    title: 'Column, for running text',
    kinds: ['image', 'vector'],
    steps: [{ op: 'fit', width: 720, height: 720, mode: 'inside' }],
    output: { format: 'webp', quality: 78, metadata: 'none' },
  },
  {
    name: 'tile',
    title: 'Tile, for lists',
    kinds: ['image', 'vector'],
    steps: [{ op: 'fit', width: 240, height: 240, mode: 'cover' }],
    output: { format: 'webp', quality: 75, metadata: 'none' },
  },
  {
    name: 'letter',
    title: 'For the newsletter, never above 60 kB',
    folders: ['/news'],
    steps: [{ op: 'fit', width: 1200, mode: 'inside' }],
    output: { format: 'jpeg', quality: 90, maxBytes: 60_000, metadata: 'none' },
  },
  {
    name: 'front',
    title: 'Front page of a paper',
    kinds: ['document'],
    steps: [
      { op: 'page', page: 1, dpi: 110 },
      { op: 'fit', width: 480, height: 480, mode: 'inside' },
      { op: 'border', width: 1, colour: '#97a3aa' },
    ],
    output: { format: 'webp', quality: 82, metadata: 'none' },
  },
  {
    name: 'second',
    title: 'Second page, for leafing through',
    kinds: ['document'],
    folders: ['/chart-room'],
    steps: [
      { op: 'page', page: 2, dpi: 110 },
      { op: 'fit', width: 640, height: 640, mode: 'inside' },
    ],
    output: { format: 'webp', quality: 82, metadata: 'none' },
  },
  {
    name: 'still',
    title: 'Still of a film',
    kinds: ['video'],
    steps: [
      { op: 'moment', at: 1.2 },
      { op: 'fit', width: 640, mode: 'inside' },
    ],
    output: { format: 'jpeg', quality: 82, metadata: 'none' },
  },
  {
    name: 'wave',
    title: 'Wave form of a sound',
    kinds: ['audio'],
    steps: [{ op: 'wave', width: 960, height: 240, colour: '#95371f' }],
    output: { format: 'webp', quality: 80, metadata: 'none' },
  },
];

/** What is uploaded, in order: local folders and the library folders for their files. */
const BATCHES: readonly { from: string; to: string }[] = [
  ...LIGHTS.map(({ slug }) => ({ from: `lights/${slug}`, to: `/lights/${slug}` })),
  { from: 'news', to: '/news' },
  { from: 'chart-room', to: '/chart-room' },
  { from: 'chart-room/sheets', to: '/chart-room/sheets' },
  { from: 'chart-room/tides', to: '/chart-room/tides' },
  { from: 'sound-and-film', to: '/sound-and-film' },
];

/** Files with deliberate mistakes, and the folders to which they are uploaded. */
const WRONG: readonly { file: string; to: string }[] = [
  { file: 'far-too-big.pdf', to: '/chart-room' },
  { file: 'empty.jpg', to: '/news' },
  { file: 'handbook-named-as-picture.jpg', to: '/lights/gannet-head' },
  { file: 'visitors.exe', to: '/' },
  { file: 'gannet-head-dusk-again.jpg', to: '/news' },
  { file: 'whin-ness-scan.png', to: '/lights/whin-ness' },
];

/** Fills an empty installation with the demo. Repeating it after an interruption does nothing twice. */
export async function seed(options: {
  url: string;
  key: string;
  files: string;
  onProgress: (text: string) => void;
}): Promise<void> {
  const uniferum = createClient({ baseUrl: options.url, key: options.key });
  for (const recipe of RECIPES) {
    await unlessThere(() => uniferum.recipes.make(recipe));
  }
  for (const [path, rules] of Object.entries(RULES)) await putRules(uniferum, path, rules);
  for (const [index, { from, to }] of BATCHES.entries()) {
    await sendFolder(uniferum, join(options.files, from), to);
    options.onProgress(`Taking in ${index + 1} of ${BATCHES.length} folders`);
  }
  for (const { file, to } of WRONG) {
    await uniferum.assets.upload({
      folder: to,
      files: [{ name: file, data: await openAsBlob(join(options.files, 'wrong', file)) }],
      idempotencyKey: `demo-wrong-${file}`,
    });
  }
  for await (const run of uniferum.runs.list()) {
    await uniferum.runs.wait(run.id, {
      onProgress: ({ done, total }) =>
        options.onProgress(`Making renditions of ${done} of ${total} pictures`),
    });
  }
}

async function unlessThere(make: () => Promise<unknown>): Promise<void> {
  try {
    await make();
  } catch (error) {
    if (!isUniferumApiError(error) || error.status !== 409) throw error;
  }
}

async function putRules(uniferum: UniferumClient, path: string, rules: Partial<FolderRules>): Promise<void> {
  if (path !== '/') await unlessThere(() => uniferum.folders.make(path));
  const { items } = await uniferum.folders.list({ within: path });
  const folder = items.find((one) => one.path === path);
  if (folder) await uniferum.folders.putRules(folder.id, rules);
}

async function sendFolder(uniferum: UniferumClient, from: string, to: string): Promise<void> {
  const names = (await readdir(from, { withFileTypes: true }))
    .filter((entry) => entry.isFile())
    .map(({ name }) => name);
  const files = await Promise.all(
    names.sort().map(async (name) => {
      const data = await openAsBlob(join(from, name));
      return { name: basename(name), data, bytes: data.size };
    }),
  );
  for (const [n, chunk] of chunkBatch(files).entries()) {
    await uniferum.assets.upload({
      folder: to,
      files: chunk,
      idempotencyKey: `demo${to.replaceAll('/', '.')}.${n}`,
    });
  }
}

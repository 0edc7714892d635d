import { createWriteStream } from 'node:fs';
import { mkdir, rename, rm, stat } from 'node:fs/promises';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import type { Asset } from '@uniferum/client';
import type { Command } from 'commander';
import type { CliContext } from './context.js';
import { digestOf } from './files.js';
import { table } from './output.js';

/** Adds `get`. */
export function addGetCommand(program: Command, context: () => CliContext): void {
  program
    .command('get')
    .description('show assets, or download their originals')
    .argument('[assets...]', 'ids, or paths in the library')
    .option('--filter <filter>', 'all assets that match this filter')
    .option('--in <folder>', 'with --filter: search in this folder and its subfolders', '/')
    .option('--out <path>', 'write originals to this file, or into this folder; "-" for standard output')
    .action((which: string[], options: GetOptions) => get(context(), which, options));
}

interface GetOptions {
  filter?: string;
  in: string;
  out?: string;
}

async function get(context: CliContext, which: string[], options: GetOptions): Promise<void> {
  if ((which.length === 0) === (options.filter === undefined))
    throw new Error('Pass ids or paths of assets, or a filter with --filter.');
  const { output } = context;
  const isOne = which.length === 1;
  if (options.out !== undefined) await fetchAll(context, which, options, options.out);
  else if (isOne && !output.isStream)
    for await (const asset of assetsOf(context, which, options))
      output.out(output.isJson ? JSON.stringify(asset) : describe(asset).join('\n'));
  else {
    for await (const asset of assetsOf(context, which, options))
      output.item(asset, `${describe(asset).join('\n')}\n`);
    output.end({}, '');
  }
}

async function fetchAll(
  context: CliContext,
  which: string[],
  options: GetOptions,
  out: string,
): Promise<void> {
  const { client, output } = context;
  const isOne = which.length === 1;
  if (out === '-' && !isOne) throw new Error('Only one original can be written to standard output.');
  const isFolder = out !== '-' && (!isOne || (await isDirectory(out)));
  if (isFolder) await mkdir(out, { recursive: true });
  for await (const asset of assetsOf(context, which, options)) {
    const { body } = await client.assets.content(asset.id);
    if (!body) throw new Error(`${asset.name} came without bytes.`);
    const source = Readable.fromWeb(body as import('node:stream/web').ReadableStream);
    if (out === '-') {
      await pipeline(source, process.stdout, { end: false });
      continue;
    }
    const path = isFolder ? await freePath(out, asset) : out;
    await download(source, path);
    output.err(`${asset.name} → ${path}, ${asset.bytes} bytes`);
  }
}

async function* assetsOf(
  { client }: CliContext,
  which: readonly string[],
  { filter, in: folder }: GetOptions,
): AsyncGenerator<Asset> {
  if (filter !== undefined) yield* client.assets.list({ q: filter, folder, deep: true, limit: 500 });
  else for (const one of which) yield await client.assets.get(one.startsWith('/') ? { path: one } : one);
}

/** Written beside and renamed, so that a broken download leaves nothing that looks whole. */
async function download(source: Readable, path: string): Promise<void> {
  const beside = `${path}.${process.pid}.part`;
  try {
    await pipeline(source, createWriteStream(beside));
    await rename(beside, path);
  } catch (error) {
    await rm(beside, { force: true });
    throw error;
  }
}

/** Of files of the same name in different folders, none replaces another; the same file is downloaded to the same place. */
async function freePath(folder: string, { name, id, sha256 }: Asset): Promise<string> {
  const path = join(folder, name);
  const there = await digestOf(path).catch(({ code }) => (code === 'ENOENT' ? null : ''));
  return there === null || there === sha256 ? path : join(folder, `${id}-${name}`);
}

async function isDirectory(path: string): Promise<boolean> {
  return (
    path.endsWith('/') ||
    (await stat(path).then(
      (info) => info.isDirectory(),
      () => false,
    ))
  );
}

function describe(asset: Asset): string[] {
  const lines: [string, string | number | null][] = [
    ['id', asset.id],
    ['address', asset.url],
    ['type', `${asset.kind}, ${asset.mime}`],
    ['bytes', asset.bytes],
    ['pixels', asset.width && `${asset.width} × ${asset.height}`],
    ['title', asset.title],
    ['alt', asset.alt],
    ['caption', asset.caption],
    ['credit', asset.credit],
    ['keywords', asset.keywords.join(', ')],
    ['captured', asset.capturedLocal],
    ['version', asset.version],
    ['sha256', asset.sha256],
    ...asset.renditions.map(({ recipe, state, url }): [string, string] => [recipe, `${state} ${url ?? ''}`]),
  ];
  return table(
    lines.filter(([, value]) => value !== null && value !== '').map(([key, value]) => [key, String(value)]),
  );
}

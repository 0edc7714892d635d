import type { Asset, AssetPatch, BulkActionRequest, BulkChange, Visibility } from '@uniferum/client';
import { type Command, Option } from 'commander';
import type { CliContext } from './context.js';
import { openFile } from './files.js';
import { assetIdOf } from './identify.js';
import { table } from './output.js';
import { acceptRenamed } from './renamed-flags.js';
import { followRun } from './run-commands.js';

interface LsOptions {
  in: string;
  sort?: string;
  limit?: string;
  facets: boolean;
}

interface SetOptions {
  title?: string;
  alt?: string;
  caption?: string;
  credit?: string;
  keywords?: string;
  captured?: string;
  visibility?: Visibility | 'inherit';
  force: boolean;
  name?: string;
  to?: string;
  fill: boolean;
  append: boolean;
  shift?: string;
  filter?: string;
  in: string;
  file?: string;
  restoreVersion?: string;
  bin: boolean;
  restore: boolean;
  rehearse: boolean;
  wait: boolean;
}

/** Adds `ls` and `set`. */
export function addFindingCommands(program: Command, context: () => CliContext): void {
  program
    .command('ls')
    .description('list the assets that match a filter')
    .argument('[filter...]', 'the filter language: kind:image size>2mb alt:none')
    .option('--in <folder>', 'search in this folder and its subfolders', '/')
    .option('--sort <order>', 'created, name, captured or size; with - backwards')
    .option('--limit <n>', 'maximum number of results (default: all)')
    .option('--facets', 'count by kind, type, keyword, credit and month instead', false)
    .action((words: string[], options: LsOptions) => list(context(), words.join(' '), options));
  const edit = program
    .command('set')
    .description('edit an asset, or with --filter all assets that match a filter')
    .argument('[asset]', 'its id, or its path in the library')
    .option('--filter <filter>', 'edit all assets that match this filter')
    .option('--in <folder>', 'search in this folder and its subfolders', '/')
    .option('--title <text>')
    .option('--alt <text>', 'alternative text')
    .option('--caption <text>')
    .option('--credit <text>')
    .option('--keywords <words>', 'separated by commas')
    .option('--captured <date>', 'capture date, with an offset such as +02:00 if it is known (one asset)')
    .option('--name <name>', 'a new file name (one asset)')
    .option('--to <folder>', 'move to this folder')
    .addOption(
      new Option(
        '--visibility <who>',
        'who may read it (one asset); "inherit" uses the setting of its folder',
      ).choices(['public', 'private', 'inherit']),
    )
    .option('--fill', 'fill only empty texts; supports patterns such as "{words}"', false)
    .option('--append', 'append instead of replacing', false)
    .option('--shift <minutes>', 'shift capture dates')
    .option('--file <path>', 'replace the bytes with this file (one asset)')
    .option('--restore-version <n>', 'restore this version (one asset)')
    .option('--bin', 'move to the bin', false)
    .option('--force', 'with --bin: also what pages use', false)
    .option('--restore', 'restore from the bin (one asset)', false)
    .option('--rehearse', 'show what would change', false)
    .option('--no-wait', 'return immediately instead of waiting for the run')
    .action((asset: string | undefined, options: SetOptions) => set(context(), asset, options));
  acceptRenamed(edit, { '--find <filter>': '--filter', '--within <folder>': '--in' }, context);
}

async function list(context: CliContext, q: string, options: LsOptions): Promise<void> {
  if (options.facets) return listFacets(context, q, options);
  const { client, output } = context;
  const most = options.limit === undefined ? Number.POSITIVE_INFINITY : Number(options.limit);
  const query = {
    q,
    folder: options.in,
    deep: true,
    limit: Math.min(500, most),
    ...(options.sort && { sort: options.sort as 'name' }),
  };
  const { total } = await client.assets.list({ ...query, limit: 1 });
  const assets: Asset[] = [];
  for await (const asset of client.assets.list(query)) {
    if (assets.length >= most) break;
    assets.push(asset);
    if (output.isStream) output.item(asset, '');
  }
  if (output.isStream) return;
  if (output.isJson) output.out(JSON.stringify({ items: assets, total }));
  else {
    for (const line of table(assets.map(rowOf))) output.out(line);
    output.err(`${assets.length} of ${total}`);
  }
}

function rowOf({ id, kind, bytes, width, height, url }: Asset): string[] {
  return [id, kind, String(bytes), width ? `${width}×${height}` : '-', url];
}

async function listFacets({ client, output }: CliContext, q: string, options: LsOptions): Promise<void> {
  const facets = await client.assets.facets({ q, folder: options.in });
  if (output.isJson) output.out(JSON.stringify(facets));
  else
    for (const [group, counts] of Object.entries(facets))
      for (const { name, items } of counts as { name: string; items: number }[])
        output.out(`${group}  ${items}  ${name}`);
}

async function set(context: CliContext, asset: string | undefined, options: SetOptions): Promise<void> {
  const { client, output } = context;
  if ((asset === undefined) === (options.filter === undefined))
    throw new Error('Pass either an asset or a filter with --filter.');
  const id = asset === undefined ? undefined : await assetIdOf(context, asset);
  if (
    id !== undefined &&
    !options.fill &&
    !options.append &&
    options.shift === undefined &&
    !options.rehearse
  ) {
    await setOne(context, id, options);
    return;
  }
  const select =
    id === undefined ? { q: options.filter ?? '', folder: options.in, deep: true } : { ids: [id] };
  if (options.bin) {
    const request = { select, action: 'bin' as const, ...(options.force && { force: true }) };
    if (options.rehearse) return rehearseBin(context, request);
    await followRun(context, (await client.assets.act(request)).run, options.wait);
    return;
  }
  const change = toChange(options);
  if (!options.rehearse) {
    const { run } = await client.assets.edit({ select, change });
    await followRun(context, run, options.wait);
    return;
  }
  const { plan } = await client.assets.rehearseEdit({ select, change });
  if (output.isJson) output.out(JSON.stringify(plan));
  else {
    for (const { name, before, after } of plan.items)
      output.out(`${name}  ${JSON.stringify(before)} → ${JSON.stringify(after)}`);
    const { changed, hasOne, noDate, same } = plan.totals;
    output.err(
      `${changed} would change, ${hasOne} already had one, ${noDate} have no date, ${same} unchanged`,
    );
  }
}

async function setOne({ client, output }: CliContext, id: string, options: SetOptions): Promise<void> {
  if (options.bin) {
    await client.assets.remove(id, { force: options.force });
    return;
  }
  if (options.restore) {
    output.out((await client.assets.restore(id)).url);
    return;
  }
  if (options.file !== undefined || options.restoreVersion !== undefined) {
    const asset =
      options.file === undefined
        ? await client.assets.restoreVersion(id, Number(options.restoreVersion))
        : await client.assets.replace(id, await openFile(options.file));
    output.out(output.isJson ? JSON.stringify(asset) : `${asset.url}, version ${asset.version}`);
    return;
  }
  const { name, captured, visibility } = options;
  const patch: AssetPatch = {
    ...plainTexts(options),
    ...(options.keywords !== undefined && { keywords: words(options.keywords) }),
    ...(captured !== undefined && { capturedAt: captured === '' ? null : captured }),
    ...(name !== undefined && { name }),
    ...(visibility !== undefined && { visibility: visibility === 'inherit' ? null : visibility }),
    ...(options.to !== undefined && { folder: options.to }),
  };
  const asset = await client.assets.change(id, patch);
  output.out(output.isJson ? JSON.stringify(asset) : asset.url);
}

function plainTexts({
  title,
  alt,
  caption,
  credit,
}: SetOptions): Partial<Record<'title' | 'alt' | 'caption' | 'credit', string>> {
  return Object.fromEntries(
    Object.entries({ title, alt, caption, credit }).filter(([, text]) => text !== undefined),
  );
}

function words(text: string): string[] {
  return text
    .split(',')
    .map((word) => word.trim())
    .filter((word) => word !== '');
}

async function rehearseBin({ client, output }: CliContext, request: BulkActionRequest): Promise<void> {
  const { plan } = await client.assets.rehearseAct(request);
  if (output.isJson) return output.out(JSON.stringify(plan));
  for (const { message } of plan.blocked) output.out(message);
  output.err(`${plan.totals.changed} would move to the bin, ${plan.totals.blocked} would stay`);
}

function toChange(options: SetOptions): BulkChange {
  const texts = {
    ...plainTexts(options),
    ...(options.keywords !== undefined && { keywords: words(options.keywords) }),
  };
  const how = options.fill ? 'fill' : options.append ? 'append' : 'set';
  return {
    ...(Object.keys(texts).length > 0 && { [how]: texts }),
    ...(options.shift !== undefined && { shiftMinutes: Number(options.shift) }),
    ...(options.to !== undefined && { folder: options.to }),
  };
}

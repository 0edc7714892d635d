import type { CopyChange, GivenPlacement } from '@uniferum/client';
import { type Command, Option } from 'commander';
import type { CliContext } from './context.js';
import { findFolder } from './folder-commands.js';
import { assetIdOf } from './identify.js';
import { formatSize, table } from './output.js';
import { followRun } from './run-commands.js';

interface CopiesOptions {
  add?: string;
  drop?: string;
  fetch: boolean;
  in?: string;
  rehearse: boolean;
  wait: boolean;
}

interface PlacementOptions {
  in?: string[];
  serveFrom?: string;
  keepLocal?: string;
  rewritePages: boolean;
  inherit: boolean;
  rehearse: boolean;
}

interface LinkOptions {
  expires: string;
  downloads?: string;
  rendition?: string;
}

/** Adds `copies`, `placement` and `link`. */
export function addCopyCommands(program: Command, context: () => CliContext): void {
  program
    .command('copies')
    .description('add, drop or fetch copies of the assets that match a filter')
    .argument('<filter>', 'which, such as: kind:image size>1mb; "" for all')
    .option('--add <store>', 'copy them to this store')
    .option('--drop <store>', 'delete their copies there; the last good copy stays')
    .option('--fetch', 'bring them back to the home store', false)
    .option('--in <folder>', 'only in this folder and its subfolders')
    .option('--rehearse', 'show what would be done', false)
    .option('--wait', 'wait for the run to end', false)
    .action((filter: string, options: CopiesOptions) => copies(context(), filter, options));
  program
    .command('placement')
    .description("show or set the stores that hold copies of a folder's files")
    .argument('<folder>')
    .option('--in <stores...>', 'names of stores; their copies are made without being asked')
    .option('--serve-from <store>', 'the store that visitors are sent to')
    .option('--rewrite-pages', 'give pages the addresses of that store', false)
    .addOption(new Option('--keep-local <days>', 'whether the files stay here: yes, no, or for so many days'))
    .option('--inherit', 'use the placement of the parent folder', false)
    .option('--rehearse', 'show what would be stored, and how long it would take', false)
    .action((folder: string, options: PlacementOptions) => placement(context(), folder, options));
  program
    .command('link')
    .description('create an address at which anybody may read a file until it expires')
    .argument('<asset>', 'its id, or its path in the library')
    .option('--expires <seconds>', 'how long it works', '86400')
    .option('--downloads <count>', 'how often it may be read')
    .option('--rendition <recipe>', 'a rendition instead of the original')
    .action((asset: string, options: LinkOptions) => link(context(), asset, options));
}

async function copies(context: CliContext, filter: string, options: CopiesOptions): Promise<void> {
  const { client, output } = context;
  const change = changeOf(filter, options);
  if (change === null) {
    output.err('Say what to do: --add <store>, --drop <store> or --fetch.');
    context.endWith(2);
    return;
  }
  if (!options.rehearse) return followRun(context, (await client.copies.change(change)).run, options.wait);
  const { plan } = await client.copies.rehearse(change);
  if (output.isJson) return output.out(JSON.stringify(plan));
  for (const line of table(
    plan.items.map(({ folder, name, files, bytes, note }) => [
      ...[`${folder}/${name}`.replace('//', '/'), `${files} files`, formatSize(bytes), note ?? ''],
    ]),
  ))
    output.out(line);
  const { assets, files, bytes, refused } = plan.totals;
  output.out(`${files} files of ${assets} assets, ${formatSize(bytes)}; ${refused} left out`);
}

function changeOf(filter: string, { add, drop, fetch, in: folder }: CopiesOptions): CopyChange | null {
  const select = { q: filter, deep: true, ...(folder !== undefined && { folder }) };
  if (add !== undefined) return { select, store: add, action: 'add' };
  if (drop !== undefined) return { select, store: drop, action: 'drop' };
  return fetch ? { select, store: 'server', action: 'fetch' } : null;
}

async function placement(context: CliContext, path: string, options: PlacementOptions): Promise<void> {
  const { client, output } = context;
  const folder = await findFolder(context, path);
  if (!folder) return;
  const wanted = wantedPlacement(options);
  if (options.rehearse && wanted !== undefined) {
    const { plan } = await client.copies.rehearsePlace(folder.id, wanted);
    if (output.isJson) output.out(JSON.stringify(plan));
    else
      output.out(
        `${plan.files} files, ${formatSize(plan.bytes)}${plan.seconds === null ? '' : `, about ${Math.ceil(plan.seconds)} s`}`,
      );
    return;
  }
  if (wanted !== undefined) await client.copies.place(folder.id, wanted);
  const answer = await client.copies.placement(folder.id);
  if (output.isJson) return output.out(JSON.stringify(answer));
  const { stores, serveFrom, keepLocal, rewritePages, from } = answer.effective;
  const kept = keepLocal === true ? 'yes' : keepLocal === false ? 'no' : `for ${keepLocal} days`;
  output.out(`stores: ${stores.length === 0 ? 'none' : stores.join(', ')} (${from ?? 'by default'})`);
  output.out(`served from: ${serveFrom ?? 'here'}${rewritePages ? ', pages rewritten' : ''}`);
  output.out(`kept here: ${kept}`);
}

/** Undefined when nothing is to be set. */
function wantedPlacement(options: PlacementOptions): GivenPlacement | null | undefined {
  if (options.inherit) return null;
  if (options.in === undefined) return undefined;
  const { in: stores, serveFrom = null, keepLocal, rewritePages } = options;
  return { stores, serveFrom, keepLocal: keepLocalOf(keepLocal), rewritePages };
}

function keepLocalOf(text: string | undefined): boolean | number {
  if (text === undefined || text === 'yes') return true;
  return text === 'no' ? false : Number(text);
}

async function link(
  context: CliContext,
  asset: string,
  { expires, downloads, rendition }: LinkOptions,
): Promise<void> {
  const { client, output } = context;
  const made = await client.copies.link(await assetIdOf(context, asset), {
    expiresIn: Number(expires),
    maxDownloads: downloads === undefined ? null : Number(downloads),
    rendition: rendition ?? null,
  });
  if (output.isJson) output.out(JSON.stringify(made));
  else {
    output.out(made.url);
    output.err(`It works until ${made.expiresAt}. It is shown only now.`);
  }
}

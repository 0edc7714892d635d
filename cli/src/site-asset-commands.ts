import type { Command } from 'commander';
import type { CliContext } from './context.js';
import { idOf } from './identify.js';
import { formatSize, table } from './output.js';
import { followRun } from './run-commands.js';

interface SiteAssetsOptions {
  add?: string;
  path?: string;
  site?: string;
  store?: string;
  rewritePages?: string;
  place: boolean;
  rehearse: boolean;
  files: boolean;
  delete: boolean;
  wait: boolean;
}

/** Adds `site-assets`. */
export function addSiteAssetCommands(program: Command, context: () => CliContext): void {
  program
    .command('site-assets')
    .description('list folders of style sheets, scripts and fonts, add one, or place one in its store')
    .argument('[folder]', 'its id or name')
    .option('--add <name>', 'add a folder under this name')
    .option('--path <path>', 'with --add: the folder, as an absolute path on the server')
    .option('--site <address>', 'with --add: where the site serves the folder')
    .option('--store <store>', 'with --add: the store that is to serve it')
    .option('--rewrite-pages <yes|no>', 'whether pages are given the addresses in the store')
    .option('--place', 'place the files as they are now', false)
    .option('--rehearse', 'with --place: show what would change', false)
    .option('--files', 'list the files of the current release with their addresses', false)
    .option('--delete', 'delete it with its files in the store; the folder stays', false)
    .option('--no-wait', 'return immediately instead of waiting for the run')
    .action((which: string | undefined, options: SiteAssetsOptions) => siteAssets(context(), which, options));
}

async function siteAssets(
  context: CliContext,
  which: string | undefined,
  options: SiteAssetsOptions,
): Promise<void> {
  const { client, output } = context;
  if (options.add !== undefined) return add(context, options.add, options);
  if (which === undefined) return listAll(context);
  const id = await idOf(context, 'folder of site assets', which);
  if (options.delete) return client.siteAssets.remove(id);
  if (options.place) return place(context, id, options);
  if (options.files) return listFiles(context, id);
  if (options.rewritePages !== undefined)
    await client.siteAssets.change(id, { rewritePages: options.rewritePages === 'yes' });
  output.out(JSON.stringify(await client.siteAssets.get(id), null, output.isJson ? 0 : 2));
}

async function add({ client, output }: CliContext, name: string, options: SiteAssetsOptions): Promise<void> {
  const { path: folder = '', site = '', store = '', rewritePages } = options;
  const added = await client.siteAssets.add({
    ...{ name, folder, url: site, store },
    rewritePages: rewritePages === 'yes',
  });
  output.out(output.isJson ? JSON.stringify(added) : added.id);
}

async function listAll({ client, output }: CliContext): Promise<void> {
  const { items } = await client.siteAssets.list();
  if (output.isJson) return output.out(JSON.stringify(items));
  const rows = items.map(({ id, name, store, release, files, bytes }) => [
    ...[id, name, store, release ?? 'never placed', `${files} files`, formatSize(bytes)],
  ]);
  for (const line of table(rows)) output.out(line);
}

async function place(context: CliContext, id: string, { rehearse, wait }: SiteAssetsOptions): Promise<void> {
  const { client, output } = context;
  if (!rehearse) return followRun(context, (await client.siteAssets.place(id)).run, wait);
  const { plan } = await client.siteAssets.rehearsePlace(id);
  if (output.isJson) return output.out(JSON.stringify(plan));
  const changed = plan.items.filter(({ change }) => change !== 'same');
  for (const line of table(changed.map(({ change, path, bytes }) => [change, path, formatSize(bytes)])))
    output.out(line);
  const { files, bytes, edits, missing } = plan.totals;
  output.out(
    `${files} files, ${formatSize(bytes)}; references rewritten in style sheets: ${edits}, missing: ${missing}`,
  );
}

async function listFiles({ client, output }: CliContext, id: string): Promise<void> {
  for await (const file of client.siteAssets.files(id, { limit: 500 }))
    output.out(output.isJson ? JSON.stringify(file) : `${file.path} ${file.url}`);
}

import { readFile } from 'node:fs/promises';
import type { NewPageSource, RewriteRequest } from '@uniferum/client';
import type { Command } from 'commander';
import { type CliContext, EXIT } from './context.js';
import { assetIdOf, idOf } from './identify.js';
import { table } from './output.js';
import { followRun } from './run-commands.js';
import { printSteps } from './steps.js';

interface SourcesOptions {
  add?: string;
  path?: string;
  site?: string;
  settings?: string;
  writable?: string;
  index: boolean;
  test: boolean;
  delete: boolean;
  wait: boolean;
}

interface RewriteOptions {
  from?: string;
  to?: string;
  prefix: boolean;
  csv?: string;
  rehearse: boolean;
  wait: boolean;
}

/** Adds `sources`, `crawl`, `uses`, `rewrite` and `broken`. */
export function addPageCommands(program: Command, context: () => CliContext): void {
  program
    .command('sources')
    .description('list page sources, add one, or index one')
    .argument('[source]', 'its id or name')
    .option('--add <name>', 'add a source under this name')
    .option('--path <path>', 'with --add: a folder of documents, as an absolute path on the server')
    .option('--site <address>', 'with --add: where the folder is served')
    .option('--settings <file>', 'with --add: a JSON file with the kind, settings and secret of any source')
    .option('--writable <yes|no>', 'whether addresses in its documents may be rewritten')
    .option('--index', 'read the documents that have changed', false)
    .option('--test', 'test it step by step', false)
    .option('--delete', 'forget it; its documents stay', false)
    .option('--no-wait', 'return immediately instead of waiting for the run')
    .action((which: string | undefined, options: SourcesOptions) => sources(context(), which, options));
  program
    .command('crawl')
    .description('read a site and report what is broken on it; the exit status is 1 when something is')
    .argument('<url>', 'its first page: pages on its host and below its folder are read')
    .option('--depth <n>', 'the most links to follow', Number)
    .option('--pages <n>', 'the most pages to read', Number)
    .option('--per-second <n>', 'the most requests per second', Number)
    .option('--no-check', 'only read pages, without asking for what they refer to')
    .action((url: string, options: CrawlOptions) => crawl(context(), url, options));
  program
    .command('uses')
    .description('list the places on pages where an asset is used')
    .argument('<asset>', 'its id, or its path in the library')
    .action((asset: string) => uses(context(), asset));
  program
    .command('rewrite')
    .description('replace addresses in the documents of a writable page source')
    .argument('<source>', 'its id or name')
    .option('--from <address>', 'the old address')
    .option('--to <address>', 'the new address')
    .option('--prefix', 'replace every address that begins with --from', false)
    .option('--csv <path>', 'a file with two columns: old and new address')
    .option('--rehearse', 'show what would change', false)
    .option('--no-wait', 'return immediately instead of waiting for the run')
    .action((source: string, options: RewriteOptions) => rewrite(context(), source, options));
  program
    .command('broken')
    .description('list the broken references of all pages; the exit status is 1 when there are any')
    .option('--source <source>', 'only those of one source: its id or name')
    .option('--fix', 'replace them by what is proposed, where something is', false)
    .action((options: BrokenOptions) => broken(context(), options));
}

async function sources(
  context: CliContext,
  which: string | undefined,
  options: SourcesOptions,
): Promise<void> {
  if (options.add !== undefined) return addSource(context, options.add, options);
  if (which === undefined) return listSources(context);
  const { client, output } = context;
  const id = await idOf(context, 'source', which);
  if (options.test) return testSource(context, id);
  if (options.delete) return client.sources.remove(id);
  if (options.writable !== undefined) await makeWritable(context, id, options.writable === 'yes');
  if (options.index) return followRun(context, (await client.sources.index(id)).run, options.wait);
  output.out(JSON.stringify(await client.sources.get(id), null, output.isJson ? 0 : 2));
}

async function addSource(
  { client, output }: CliContext,
  name: string,
  options: SourcesOptions,
): Promise<void> {
  const folder = {
    path: options.path ?? '',
    ...(options.site !== undefined && { url: options.site }),
    ...(options.writable !== undefined && { writable: options.writable === 'yes' }),
  };
  const source = await client.sources.add(
    options.settings === undefined
      ? { name, settings: folder }
      : { ...JSON.parse(await readFile(options.settings, 'utf8')), name },
  );
  output.out(output.isJson ? JSON.stringify(source) : source.id);
}

async function makeWritable({ client }: CliContext, id: string, writable: boolean): Promise<void> {
  const { settings } = await client.sources.get(id);
  await client.sources.change(id, {
    settings: { ...settings, writable } as NewPageSource['settings'],
  });
}

async function listSources({ client, output }: CliContext): Promise<void> {
  const { items } = await client.sources.list();
  if (output.isJson) return output.out(JSON.stringify(items));
  const rows = items.map(({ id, name, documents, references, broken }) => [
    ...[id, name, `${documents} documents`, `${references} references`, `${broken} broken`],
  ]);
  for (const line of table(rows)) output.out(line);
}

async function testSource({ client, output, endWith }: CliContext, id: string): Promise<void> {
  const { steps } = await client.sources.test(id);
  if (!printSteps(output, steps)) endWith(EXIT.partly);
}

interface CrawlOptions {
  depth?: number;
  pages?: number;
  perSecond?: number;
  check: boolean;
}

/** Reads a site as a source of its own, which is kept: the next time only what changed is read. */
async function crawl(context: CliContext, url: string, options: CrawlOptions): Promise<void> {
  const { client } = context;
  const settings = {
    ...{ url, checked: options.check },
    ...(options.depth !== undefined && { depth: options.depth }),
    ...(options.pages !== undefined && { maxPages: options.pages }),
    ...(options.perSecond !== undefined && { perSecond: options.perSecond }),
  };
  const { items } = await client.sources.list();
  const known = items.find((one) => one.kind === 'site' && one.settings.url === url);
  const source = known
    ? await client.sources.change(known.id, { settings })
    : await client.sources.add({ kind: 'site', name: url.slice(0, 120), settings });
  await followRun(context, (await client.sources.index(source.id)).run, true);
  await broken(context, { source: source.id, fix: false });
}

async function uses(context: CliContext, asset: string): Promise<void> {
  const { client, output } = context;
  const rows: string[][] = [];
  for await (const use of client.references.usesOf(await assetIdOf(context, asset))) {
    if (output.isJson) output.out(JSON.stringify(use));
    rows.push([use.document, use.attribute, use.recipe ?? '', use.address]);
  }
  if (!output.isJson) for (const line of table(rows)) output.out(line);
}

async function rewrite(context: CliContext, source: string, options: RewriteOptions): Promise<void> {
  const { client, output } = context;
  const { from, to, csv, prefix } = options;
  const single = from !== undefined && to !== undefined ? [{ from, to }] : [];
  const request: RewriteRequest = {
    sources: [await idOf(context, 'source', source)],
    ...(prefix ? { prefixes: single } : { map: single }),
    ...(csv !== undefined && { csv: await readFile(csv, 'utf8') }),
  };
  if (!options.rehearse) return followRun(context, (await client.rewrites.begin(request)).run, options.wait);
  const { plan } = await client.rewrites.rehearse(request);
  if (output.isJson) return output.out(JSON.stringify(plan));
  for (const { document, diff } of plan.items)
    for (const { line, before, after } of diff) output.out(`${document}:${line}  ${before} → ${after}`);
  const { documents, edits, unreadable } = plan.totals;
  output.err(`${edits} addresses in ${documents} documents would change, ${unreadable} can't be rewritten`);
}

interface BrokenOptions {
  source?: string;
  fix: boolean;
}

async function broken(context: CliContext, { source, fix }: BrokenOptions): Promise<void> {
  const { client, output } = context;
  const rows: string[][] = [];
  let fixable = 0;
  const only = source === undefined ? {} : { source: await idOf(context, 'source', source) };
  for await (const one of client.references.list({ state: 'broken', ...only })) {
    if (output.isJson) output.out(JSON.stringify(one));
    rows.push([
      one.document,
      one.attribute,
      one.address,
      one.fix ? `→ ${one.fix.address}` : (one.detail ?? one.reason ?? ''),
    ]);
    if (one.fix) fixable += 1;
  }
  if (!output.isJson) for (const line of table(rows)) output.out(line);
  if (fix && fixable > 0)
    await followRun(context, (await client.references.fix({ all: true, ...only })).run, true);
  if (rows.length > (fix ? fixable : 0)) context.endWith(EXIT.partly);
}

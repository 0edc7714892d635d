import { readFile } from 'node:fs/promises';
import type { AssetSelection, RebuildRequest, RecipesDocument } from '@uniferum/client';
import type { Command } from 'commander';
import type { CliContext } from './context.js';
import { formatSize, table } from './output.js';
import { followRun } from './run-commands.js';

interface RebuildOptions {
  only: RebuildRequest['only'];
  in?: string;
  filter?: string;
  rehearse: boolean;
  wait: boolean;
}

/** Adds `recipes`, `rebuild`, `optimise`, `surplus` and `workers`. */
export function addRecipeCommands(program: Command, context: () => CliContext): void {
  program
    .command('recipes')
    .description('list, export or import recipes')
    .option('--export', 'print them as one JSON document', false)
    .option('--import <file>', 'import recipes from a document')
    .option('--rehearse', 'show what would change', false)
    .action((options: { export: boolean; import?: string; rehearse: boolean }) =>
      recipes(context(), options),
    );
  program
    .command('rebuild')
    .description('rebuild renditions')
    .argument('[recipes...]', 'names; none for all')
    .option('--only <which>', 'missing, outdated, failed, unfinished or all', 'unfinished')
    .option('--in <folder>', 'only in this folder and its subfolders')
    .option('--filter <filter>', 'only assets that match this filter')
    .option('--rehearse', 'show what would be rebuilt', false)
    .option('--wait', 'wait for the run to end', false)
    .action((names: string[], options: RebuildOptions) => rebuild(context(), names, options));
  program
    .command('optimise')
    .description('optimise originals; the previous version is kept')
    .argument('<filter>', 'which, such as: kind:image size>1mb')
    .option('--in <folder>', 'only in this folder and its subfolders')
    .option('--likeness <value>', 'lossy, with at least this structural similarity')
    .option('--rehearse', 'show which originals would be optimised', false)
    .option('--wait', 'wait for the run to end', false)
    .action((filter: string, options: OptimiseOptions) => optimise(context(), filter, options));
  program
    .command('surplus')
    .description('list or delete renditions that no recipe requires')
    .option('--unasked <days>', 'only those without a request in this many days')
    .option('--remove', 'delete them; their addresses redirect', false)
    .option('--rehearse', 'show what would be deleted', false)
    .option('--wait', 'wait for the run to end', false)
    .action((options: SurplusOptions) => surplus(context(), options));
  program
    .command('workers')
    .description('show workers and the queue')
    .action(() => workers(context()));
}

async function recipes(
  { client, output }: CliContext,
  options: { export: boolean; import?: string; rehearse: boolean },
): Promise<void> {
  if (options.export) {
    output.out(JSON.stringify(await client.recipes.export(), null, 2));
    return;
  }
  if (options.import !== undefined) {
    const document = JSON.parse(await readFile(options.import, 'utf8')) as RecipesDocument;
    const { plan } = await (options.rehearse
      ? client.recipes.rehearseImport(document)
      : client.recipes.import(document));
    if (output.isJson) output.out(JSON.stringify(plan));
    else
      for (const line of table(
        plan.items.map(({ name, action, changes }) => [action, name, changes.join(', ')]),
      ))
        output.out(line);
    return;
  }
  const { items } = await client.recipes.list();
  if (output.isJson) output.out(JSON.stringify(items));
  else
    for (const line of table(
      items.map(({ name, renditions, bytes, title }) => [
        name,
        `${renditions.fresh} fresh`,
        `${renditions.due} due`,
        `${renditions.outdated} outdated`,
        `${renditions.failed} failed`,
        formatSize(bytes),
        title,
      ]),
    ))
      output.out(line);
}

async function rebuild(context: CliContext, names: string[], options: RebuildOptions): Promise<void> {
  const { client, output } = context;
  const request: RebuildRequest = {
    only: options.only,
    ...(names.length > 0 && { recipes: names }),
    ...selectionOf(options.filter, options.in),
  };
  if (!options.rehearse) {
    await followRun(context, (await client.recipes.rebuild(request)).run, options.wait);
    return;
  }
  const { plan } = await client.recipes.rehearseRebuild(request);
  if (output.isJson) output.out(JSON.stringify(plan));
  else {
    for (const line of table(plan.items.map(({ state, recipe, name }) => [state, recipe, name])))
      output.out(line);
    output.out(`${plan.totals.renditions} renditions of ${plan.totals.assets} files would be made`);
  }
}

interface OptimiseOptions {
  in?: string;
  likeness?: string;
  rehearse: boolean;
  wait: boolean;
}

async function optimise(context: CliContext, filter: string, options: OptimiseOptions): Promise<void> {
  const { client, output } = context;
  const { select } = selectionOf(filter, options.in);
  const request = {
    select: select ?? { q: filter },
    ...(options.likeness !== undefined && { mode: 'likeness' as const, likeness: Number(options.likeness) }),
  };
  if (!options.rehearse) {
    await followRun(context, (await client.renditions.optimise(request)).run, options.wait);
    return;
  }
  const { plan } = await client.renditions.rehearseOptimise(request);
  if (output.isJson) output.out(JSON.stringify(plan));
  else
    output.out(
      `${plan.totals.possible} of ${plan.totals.selected} files would be looked at, ${formatSize(plan.totals.bytes)}`,
    );
}

interface SurplusOptions {
  unasked?: string;
  remove: boolean;
  rehearse: boolean;
  wait: boolean;
}

async function surplus(context: CliContext, options: SurplusOptions): Promise<void> {
  const { client, output } = context;
  const days = options.unasked === undefined ? {} : { unaskedDays: Number(options.unasked) };
  if (options.remove && !options.rehearse) {
    await followRun(context, (await client.renditions.removeSurplus(days)).run, options.wait);
    return;
  }
  const page = await client.renditions.surplus({ ...days, limit: 200 });
  if (output.isJson) output.out(JSON.stringify(page));
  else {
    for (const line of table(
      page.items.map(({ url, bytes, requests, lastRequestAt }) => [
        formatSize(bytes),
        `${requests} requests`,
        lastRequestAt ?? 'never',
        url,
      ]),
    ))
      output.out(line);
    output.out(`${page.items.length} of ${page.total}, ${formatSize(page.bytes)}`);
  }
}

async function workers({ client, output }: CliContext): Promise<void> {
  const answer = await client.workers.get();
  if (output.isJson) {
    output.out(JSON.stringify(answer));
    return;
  }
  for (const line of table(
    answer.workers.map(({ host, pid, slots, isAlive, items, done, failed }) => [
      `${host}:${pid}`,
      isAlive ? 'alive' : 'gone',
      `${items.length} of ${slots}`,
      `${done} done, ${failed} failed in the last hour`,
      items.map(({ title }) => title).join(', '),
    ]),
  ))
    output.out(line);
  for (const { kind, waiting, working } of answer.queue)
    output.out(`${kind}: ${waiting} waiting, ${working} in work`);
}

function selectionOf(filter: string | undefined, folder: string | undefined): { select?: AssetSelection } {
  if (filter === undefined && folder === undefined) return {};
  return { select: { q: filter ?? '', folder: folder ?? '/', deep: true } };
}

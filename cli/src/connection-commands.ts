import { readFile } from 'node:fs/promises';
import type { Command } from 'commander';
import { type CliContext, EXIT } from './context.js';
import { idOf } from './identify.js';
import { table } from './output.js';
import { printSteps } from './steps.js';

interface ConnectionsOptions {
  add?: string;
  change?: string;
  test: boolean;
  delete: boolean;
}

/** Adds `connections`. */
export function addConnectionCommands(program: Command, context: () => CliContext): void {
  program
    .command('connections')
    .description('list connections to outside systems, add one, or test one')
    .argument('[connection]', 'its id or name')
    .option('--add <file>', 'add a connection from a JSON file with its name, settings and secret')
    .option('--change <file>', 'change a connection from a JSON file; a secret that is left out stays')
    .option('--test', 'test it step by step; the exit status is 1 when a step fails', false)
    .option('--delete', 'delete it; nothing is deleted in the outside system', false)
    .action((which: string | undefined, options: ConnectionsOptions) =>
      connections(context(), which, options),
    );
}

async function connections(
  context: CliContext,
  which: string | undefined,
  options: ConnectionsOptions,
): Promise<void> {
  const { client, output, endWith } = context;
  const print = (value: unknown) => output.out(JSON.stringify(value, null, output.isJson ? 0 : 2));
  if (options.add !== undefined) return print(await client.connections.add(await readJson(options.add)));
  if (which === undefined) return listConnections(context);
  const id = await idOf(context, 'connection', which);
  if (options.change !== undefined)
    return print(await client.connections.change(id, await readJson(options.change)));
  if (options.delete) return client.connections.remove(id);
  if (!options.test) return print(await client.connections.get(id));
  const { steps } = await client.connections.test(id);
  if (!printSteps(output, steps)) endWith(EXIT.partly);
}

async function listConnections({ client, output }: CliContext): Promise<void> {
  const { items } = await client.connections.list();
  if (output.isJson) return output.out(JSON.stringify(items));
  const rows = items.map(({ id, kind, name, settings: { endpoint, bucket, prefix } }) => [
    ...[id, kind, name, `${endpoint}/${bucket}/${prefix}`],
  ]);
  for (const line of table(rows)) output.out(line);
}

async function readJson(path: string) {
  return JSON.parse(await readFile(path, 'utf8'));
}

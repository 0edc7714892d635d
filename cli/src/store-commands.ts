import type { AuditMode, AuditReason } from '@uniferum/client';
import { type Command, Option } from 'commander';
import type { CliContext } from './context.js';
import { idOf } from './identify.js';
import { formatSize, table } from './output.js';
import { followRun } from './run-commands.js';

const AUDIT_MODES: readonly AuditMode[] = ['list', 'sample', 'full'];

interface StoreOptions {
  add?: string;
  connection?: string;
  audit?: AuditMode;
  repair: boolean;
  surplus: boolean;
  findings: boolean;
  delete: boolean;
  rehearse: boolean;
  wait: boolean;
}

/** Adds `stores`. */
export function addStoreCommands(program: Command, context: () => CliContext): void {
  program
    .command('stores')
    .description('list stores, add one, or audit and repair one; "home" is the home store')
    .argument('[store]', 'its id or name')
    .option('--add <name>', 'add a store in the bucket of a connection')
    .option('--connection <connection>', 'the id or name of the connection of the store to add')
    .addOption(
      new Option(
        '--audit <mode>',
        'compare it with the library: by listing, reading a sample as well, or reading everything',
      ).choices([...AUDIT_MODES]),
    )
    .option('--findings', 'show what the latest audit found', false)
    .option('--repair', 'store missing and damaged copies again, from good ones', false)
    .option('--surplus', 'with --repair: delete what no record explains, and repair nothing else', false)
    .option('--delete', 'delete a store that holds no copies', false)
    .option('--rehearse', 'with --repair: show what would be done', false)
    .option('--wait', 'wait for the run to end', false)
    .action((store: string | undefined, options: StoreOptions) => stores(context(), store, options));
}

async function stores(context: CliContext, store: string | undefined, options: StoreOptions): Promise<void> {
  const { client, output } = context;
  const print = (value: unknown) => output.out(JSON.stringify(value, null, output.isJson ? 0 : 2));
  if (options.add !== undefined) {
    if (options.connection === undefined)
      throw new Error('Pass the connection whose bucket the store is in, with --connection.');
    const connection = await idOf(context, 'connection', options.connection);
    return print(await client.stores.add({ name: options.add, connection }));
  }
  if (store === undefined) return listStores(context);
  const id = await idOf(context, 'store', store);
  if (options.audit !== undefined)
    return followRun(context, (await client.stores.audit(id, options.audit)).run, options.wait);
  if (options.repair) return repair(context, id, options);
  if (options.findings) return listFindings(context, id);
  if (options.delete) return client.stores.remove(id);
  print(await client.stores.get(id));
}

async function listStores({ client, output }: CliContext): Promise<void> {
  const { items } = await client.stores.list();
  if (output.isJson) return output.out(JSON.stringify(items));
  const rows = items.map((store) => [
    ...[store.id, store.kind, store.name, `${store.copies} copies`, formatSize(store.bytes)],
    store.waiting > 0 ? `${store.waiting} waiting` : '',
    store.damaged > 0 ? `${store.damaged} damaged` : '',
  ]);
  for (const line of table(rows)) output.out(line);
}

async function listFindings({ client, output }: CliContext, id: string): Promise<void> {
  const answer = await client.stores.findings(id, { limit: 500 });
  if (output.isJson) return output.out(JSON.stringify(answer));
  for (const line of table(answer.items.map(({ reason, key, asset }) => [reason, asset?.name ?? '–', key])))
    output.out(line);
  output.out(`${answer.items.length} of ${answer.total} findings`);
}

async function repair(
  context: CliContext,
  id: string,
  { surplus, rehearse, wait }: StoreOptions,
): Promise<void> {
  const { client, output } = context;
  const reasons: AuditReason[] | undefined = surplus ? ['surplus'] : undefined;
  if (!rehearse) return followRun(context, (await client.stores.repair(id, reasons)).run, wait);
  const { plan } = await client.stores.rehearseRepair(id, reasons);
  if (output.isJson) return output.out(JSON.stringify(plan));
  for (const line of table(plan.items.map(({ action, reason, key }) => [action, reason, key])))
    output.out(line);
  output.out(`${plan.totals.store} stored again, ${plan.totals.delete} deleted, ${plan.totals.nothing} left`);
}

import type { Command } from 'commander';
import type { CliContext } from './context.js';
import { table } from './output.js';
import { acceptRenamed } from './renamed-flags.js';
import { followIntake } from './run-commands.js';

/** Adds `inbox`. */
export function addInboxCommand(program: Command, context: () => CliContext): void {
  const inboxing = program
    .command('inbox')
    .description('list the inbox, or import from it')
    .argument('[paths...]', 'only these files (default: all new ones)')
    .option('--to <folder>', 'destination folder', '/')
    .option('--import', 'import the files', false)
    .option('--mode <mode>', 'copy, move or place (import in place)', 'copy')
    .option('--rehearse', 'show what would be imported', false)
    .option('--no-wait', 'return immediately instead of waiting for the run')
    .action((paths: string[], options: InboxOptions) => inbox(context(), paths, options));
  acceptRenamed(inboxing, { '--register': '--import' }, context);
}

interface InboxOptions {
  to: string;
  import: boolean;
  mode: 'copy' | 'move' | 'place';
  rehearse: boolean;
  wait: boolean;
}

async function inbox(context: CliContext, paths: string[], options: InboxOptions): Promise<void> {
  const { client, output } = context;
  const request = { paths: paths.length > 0 ? paths : null, mode: options.mode, folder: options.to };
  if (options.rehearse || !options.import) {
    const items = options.rehearse
      ? (await client.inbox.rehearse(request)).plan.items
      : (await client.inbox.list({ folder: options.to })).items;
    if (output.isJson) output.out(JSON.stringify(items));
    else
      for (const line of table(
        items.map(({ path, state, bytes, folder, verdict }) => [
          path,
          state,
          String(bytes),
          folder,
          verdict?.reasons.map(({ message }) => message).join(' ') ?? '',
        ]),
      ))
        output.out(line);
    return;
  }
  if (paths.length > 0) await requireInInbox(context, paths, options.to);
  const { run, intake } = await client.inbox.register(request);
  if (run === null || intake === null)
    output.out(output.isJson ? '{"run":null}' : 'Nothing in the inbox is new.');
  else await followIntake(context, { run, intake }, options.wait);
}

/** @throws Error when one of the paths is not in the inbox, which is another thing than that it isn't new */
async function requireInInbox(
  { client }: CliContext,
  paths: readonly string[],
  folder: string,
): Promise<void> {
  const there = new Set((await client.inbox.list({ folder })).items.map(({ path }) => path));
  const missing = paths.filter((path) => !there.has(path));
  if (missing.length > 0)
    throw new Error(`The inbox contains no ${missing.join(', ')}. "uniferum inbox" lists what is there.`);
}

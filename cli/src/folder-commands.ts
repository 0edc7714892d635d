import type { Folder, FolderAccess, FolderRules, PublicMetadata, Visibility } from '@uniferum/client';
import { type Command, Option } from 'commander';
import { type CliContext, EXIT } from './context.js';

/** Which embedded metadata a folder can publish. */
const PUBLIC_METADATA: readonly PublicMetadata[] = ['all', 'rights', 'none'];

/** Adds `rules` and `access`. */
export function addFolderCommands(program: Command, context: () => CliContext): void {
  program
    .command('rules')
    .description('show the rules of a folder, or set some of them')
    .argument('<folder>')
    .option('--set <json>', 'own rules as JSON; other rules stay')
    .option('--rehearse', 'count the existing files that would break the rules', false)
    .action((folder: string, options: { set?: string; rehearse: boolean }) =>
      rules(context(), folder, options),
    );
  program
    .command('access')
    .description('show or set who may read the files of a folder, and which embedded metadata they publish')
    .argument('<folder>')
    .addOption(
      new Option(
        '--metadata <which>',
        'metadata of public originals; "inherit" uses the setting of the parent folder',
      ).choices([...PUBLIC_METADATA, 'inherit']),
    )
    .addOption(
      new Option(
        '--visibility <who>',
        'public: everybody; private: only with a key, a session or a link; "inherit" uses the setting of the parent folder',
      ).choices(['public', 'private', 'inherit']),
    )
    .action((folder: string, options: AccessOptions) => access(context(), folder, options));
}

interface AccessOptions {
  metadata?: PublicMetadata | 'inherit';
  visibility?: Visibility | 'inherit';
}

async function access(
  context: CliContext,
  path: string,
  { metadata, visibility }: AccessOptions,
): Promise<void> {
  const { client, output } = context;
  const folder = await findFolder(context, path);
  if (!folder) return;
  const before = await client.folders.access(folder.id);
  const own: FolderAccess = {
    visibility: chosen(visibility, before.own.visibility),
    publicMetadata: chosen(metadata, before.own.publicMetadata),
  };
  const isChanged = metadata !== undefined || visibility !== undefined;
  const answer = isChanged ? await client.folders.putAccess(folder.id, own) : before;
  if (output.isJson) {
    output.out(JSON.stringify(answer));
    return;
  }
  for (const [what, { value, from }] of [
    ['visibility', answer.effective.visibility],
    ['metadata', answer.effective.publicMetadata],
  ] as const)
    output.out(`${what}: ${value} (${from === null ? 'by default' : `from ${from}`})`);
}

function chosen<Value>(option: Value | 'inherit' | undefined, before: Value | null): Value | null {
  return option === undefined ? before : option === 'inherit' ? null : option;
}

/** Finds a folder by path, or reports that there is none. */
export async function findFolder(
  { client, output, endWith }: CliContext,
  path: string,
): Promise<Folder | null> {
  const wanted = path.startsWith('/') ? path : `/${path}`;
  const folder = (await client.folders.list({ within: wanted })).items.find((one) => one.path === wanted);
  if (folder) return folder;
  output.err(`Folder ${wanted} does not exist.`);
  endWith(EXIT.missing);
  return null;
}

async function rules(
  context: CliContext,
  path: string,
  options: { set?: string; rehearse: boolean },
): Promise<void> {
  const { client, output, endWith } = context;
  const folder = await findFolder(context, path);
  if (!folder) return;
  const current = await client.folders.rules(folder.id);
  if (options.set === undefined) {
    output.out(JSON.stringify(output.isJson ? current : current.effective, null, output.isJson ? 0 : 2));
    return;
  }
  const next = { ...current.own, ...(JSON.parse(options.set) as Partial<FolderRules>) };
  if (!options.rehearse) {
    output.out(JSON.stringify((await client.folders.putRules(folder.id, next)).own));
    return;
  }
  const { plan } = await client.folders.rehearseRules(folder.id, next);
  if (output.isJson) output.out(JSON.stringify(plan));
  else output.out(`${plan.totals.outside} of ${plan.totals.present} existing files would break the rules.`);
  if (plan.totals.outside > 0) endWith(EXIT.partly);
}

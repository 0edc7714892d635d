import type { CliContext } from './context.js';

/** What a command was told to work on does not exist. */
export class MissingError extends Error {}

/** The id of an asset that is named by its id, or by its path in the library. */
export async function assetIdOf({ client }: CliContext, idOrPath: string): Promise<string> {
  return idOrPath.startsWith('/') ? (await client.assets.get({ path: idOrPath })).id : idOrPath;
}

const LISTS = {
  connection: ({ client }: CliContext) => client.connections.list(),
  store: ({ client }: CliContext) => client.stores.list(),
  source: ({ client }: CliContext) => client.sources.list(),
  'folder of site assets': ({ client }: CliContext) => client.siteAssets.list(),
} satisfies Record<
  string,
  (context: CliContext) => PromiseLike<{ items: readonly { id: string; name: string }[] }>
>;

/** The id of something that is named by its id or its name. @throws MissingError */
export async function idOf(context: CliContext, kind: keyof typeof LISTS, idOrName: string): Promise<string> {
  if (/^\d+$/.test(idOrName)) return idOrName;
  const { items } = await LISTS[kind](context);
  const found = items.find(({ id, name }) => name === idOrName || id === idOrName);
  if (found) return found.id;
  const names = items.map(({ name }) => `"${name}"`).join(', ');
  throw new MissingError(
    `There is no ${kind} called "${idOrName}". ${names === '' ? 'None has been added yet.' : `There is ${names}.`}`,
  );
}

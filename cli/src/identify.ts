import type { CliContext } from './context.js';

/** What a command was told to work on does not exist. */
export class MissingError extends Error {}

/** The id of an asset that is named by its id, or by its path in the library. */
export async function assetIdOf({ client }: CliContext, idOrPath: string): Promise<string> {
  return idOrPath.startsWith('/') ? (await client.assets.get({ path: idOrPath })).id : idOrPath;
}

/** So many are offered instead of one that doesn't exist. */
const MAX_NAMES = 10;

const LISTS = {
  connection: ({ client }: CliContext) => client.connections.list(),
  store: ({ client }: CliContext) => client.stores.list(),
  source: ({ client }: CliContext) => client.sources.list(),
  'folder of site assets': ({ client }: CliContext) => client.siteAssets.list(),
} satisfies Record<string, (context: CliContext) => AsyncIterable<{ id: string; name: string }>>;

/** The id of something that is named by its id or its name. @throws MissingError */
export async function idOf(context: CliContext, kind: keyof typeof LISTS, idOrName: string): Promise<string> {
  if (/^\d+$/.test(idOrName)) return idOrName;
  const names: string[] = [];
  for await (const { id, name } of LISTS[kind](context)) {
    if (name === idOrName || id === idOrName) return id;
    names.push(`"${name}"`);
  }
  const others = names.length > MAX_NAMES ? [...names.slice(0, MAX_NAMES), 'others'] : names;
  throw new MissingError(
    `There is no ${kind} called "${idOrName}". ${names.length === 0 ? 'None has been added yet.' : `There is ${others.join(', ')}.`}`,
  );
}

import { createHash } from 'node:crypto';
import { createReadStream } from 'node:fs';
import { stat } from 'node:fs/promises';
import { type Asset, isUniferumApiError } from '@uniferum/client';
import type { Command } from 'commander';
import { type CliContext, EXIT } from './context.js';
import { type LocalFile, listContents, openFile } from './files.js';

interface MirrorOptions {
  to: string;
  delete: boolean;
  rehearse: boolean;
}

/** Adds `mirror`. */
export function addMirrorCommand(program: Command, context: () => CliContext): void {
  program
    .command('mirror')
    .description('make a folder of the library the same as a folder here: new files, and those that differ')
    .argument('<folder>', 'a folder here')
    .requiredOption('--to <folder>', 'the folder in the library')
    .option('--delete', 'also move what is not in the folder here to the bin', false)
    .option('--rehearse', 'show what would happen', false)
    .action((folder: string, options: MirrorOptions) => mirror(context(), folder, options));
}

type Action = 'created' | 'replaced' | 'unchanged' | 'refused' | 'deleted';

/** One way, and what became of each place. */
class Mirror {
  readonly #context: CliContext;
  readonly #isRehearsed: boolean;
  readonly counts: Record<Action, number> = { created: 0, replaced: 0, unchanged: 0, refused: 0, deleted: 0 };

  constructor(context: CliContext, isRehearsed: boolean) {
    this.#context = context;
    this.#isRehearsed = isRehearsed;
  }

  async send(place: string, file: LocalFile, asset: Asset | undefined): Promise<void> {
    if (asset?.bytes === file.bytes && (await digestOf(file.path)) === asset.sha256)
      this.#tell('unchanged', place);
    else if (this.#isRehearsed) this.#tell(asset ? 'replaced' : 'created', place);
    else
      await this.#attempt(place, 422, async () => {
        const { action } = await this.#context.client.assets.put(place, await openFile(file.path));
        return action;
      });
  }

  async remove(place: string, asset: Asset): Promise<void> {
    // One that pages use is refused.
    await this.#attempt(place, 409, async () => {
      if (!this.#isRehearsed) await this.#context.client.assets.remove(asset.id);
      return 'deleted';
    });
  }

  async #attempt(place: string, refusal: number, work: () => Promise<Action>): Promise<void> {
    try {
      this.#tell(await work(), place);
    } catch (error) {
      if (!isUniferumApiError(error) || error.status !== refusal) throw error;
      this.#tell('refused', place, error.message);
    }
  }

  #tell(action: Action, path: string, reason = ''): void {
    this.counts[action] += 1;
    if (action === 'unchanged') return;
    const line = [action, path, reason].filter((part) => part !== '').join('  ');
    this.#context.output.item({ path, action, ...(reason !== '' && { reason }) }, line);
  }
}

async function mirror(context: CliContext, path: string, options: MirrorOptions): Promise<void> {
  const info = await stat(path).catch(() => null);
  if (!info?.isDirectory()) throw new Error(`There is no folder ${path} here.`);
  const files = new Map(
    (await listContents(path, options.to)).map((file) => [placeOf(file.folder, file.name), file]),
  );
  // An empty folder is more likely one that isn't mounted.
  if (options.delete && files.size === 0)
    throw new Error(
      `The folder ${path} is empty. With --delete, everything in ${options.to} would be deleted.`,
    );
  const there = await listAssets(context, options.to);
  const work = new Mirror(context, options.rehearse);
  for (const [place, file] of files) await work.send(place, file, there.get(place));
  if (options.delete)
    for (const [place, asset] of there) if (!files.has(place)) await work.remove(place, asset);
  const { created, replaced, deleted, unchanged, refused } = work.counts;
  context.output.end(
    { ...work.counts, rehearsed: options.rehearse },
    `${options.rehearse ? 'Would be: ' : ''}${created} created, ${replaced} replaced, ${deleted} deleted, ${unchanged} unchanged, ${refused} refused`,
  );
  if (refused > 0) context.endWith(EXIT.partly);
}

function placeOf(folder: string, name: string): string {
  return folder === '/' ? `/${name}` : `${folder}/${name}`;
}

/** By their paths. */
async function listAssets({ client }: CliContext, folder: string): Promise<Map<string, Asset>> {
  const found = new Map<string, Asset>();
  try {
    for await (const asset of client.assets.list({ folder, deep: true, limit: 500 })) {
      found.set(placeOf(asset.folder.path, asset.name), asset);
    }
  } catch (error) {
    // It is made with the first file.
    if (!isUniferumApiError(error) || error.status !== 404) throw error;
  }
  return found;
}

/** SHA-256, in hexadecimal digits. */
export async function digestOf(path: string): Promise<string> {
  const hash = createHash('sha256');
  for await (const piece of createReadStream(path)) hash.update(piece as Buffer);
  return hash.digest('hex');
}

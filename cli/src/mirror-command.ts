import { stat } from 'node:fs/promises';
import { type Asset, isUniferumApiError } from '@uniferum/client';
import type { Command } from 'commander';
import { type CliContext, EXIT } from './context.js';
import { below, digestOf, type LocalFile, listContents, openFile } from './files.js';
import { findAsset, isMissing } from './find-asset.js';

interface MirrorOptions {
  to: string;
  delete: boolean;
  rehearse: boolean;
}

/** Adds `mirror`. */
export function addMirrorCommand(program: Command, context: () => CliContext): void {
  program
    .command('mirror')
    .description('make a folder of the library match a local one: add new files, replace changed ones')
    .argument('<folder>', 'a folder on this machine')
    .requiredOption('--to <folder>', 'the folder in the library')
    .option('--delete', 'also move assets that have no local file to the bin', false)
    .option('--rehearse', 'show what would happen', false)
    .action((folder: string, options: MirrorOptions) => mirror(context(), folder, options));
}

type Action = 'created' | 'replaced' | 'unchanged' | 'reused' | 'refused' | 'deleted';

/** What a place can't have: its rules, its folder's name or, for a deletion, pages that use it. */
const REFUSALS = new Set([400, 409, 422]);

/** One way, and what became of each place. */
class Mirror {
  readonly #context: CliContext;
  readonly #isRehearsed: boolean;
  /** Which file an asset mirrors. Names that the library can't have are changed there, so paths alone don't say. */
  readonly #sources = new Map<string, LocalFile>();
  readonly counts: Record<Action, number> = {
    ...{ created: 0, replaced: 0, unchanged: 0, reused: 0, refused: 0, deleted: 0 },
  };

  constructor(context: CliContext, isRehearsed: boolean) {
    this.#context = context;
    this.#isRehearsed = isRehearsed;
  }

  async send(file: LocalFile, listed: Asset | undefined): Promise<void> {
    const path = below(file.folder, file.name);
    await this.#attempt(path, async () => {
      const asset = listed ?? (await findAsset(this.#context, path));
      const other = asset && this.#sources.get(asset.id);
      if (other)
        throw new Refusal(`It would have the same name in the library as ${other.path}. Rename one of them.`);
      if (asset) this.#sources.set(asset.id, file);
      if (asset?.bytes === file.bytes && (await digestOf(file.path)) === asset.sha256) return 'unchanged';
      if (this.#isRehearsed) return asset ? 'replaced' : 'created';
      const { asset: put, action } = await this.#context.client.assets.put(path, await openFile(file.path));
      this.#sources.set(put.id, file);
      return action;
    });
  }

  /** Removes an asset that mirrors no file. */
  async remove(asset: Asset): Promise<void> {
    if (this.#sources.has(asset.id)) return;
    await this.#attempt(below(asset.folder.path, asset.name), async () => {
      if (!this.#isRehearsed) await this.#context.client.assets.remove(asset.id);
      return 'deleted';
    });
  }

  async #attempt(path: string, work: () => Promise<Action>): Promise<void> {
    try {
      this.#tell(await work(), path);
    } catch (error) {
      const isRefusal = isUniferumApiError(error) ? REFUSALS.has(error.status) : error instanceof Refusal;
      if (!isRefusal) throw error;
      this.#tell('refused', path, (error as Error).message);
    }
  }

  #tell(action: Action, path: string, reason = ''): void {
    this.counts[action] += 1;
    if (action === 'unchanged') return;
    const line = [action, path, reason].filter((part) => part !== '').join('  ');
    this.#context.output.item({ path, action, ...(reason !== '' && { reason }) }, line);
  }
}

class Refusal extends Error {}

async function mirror(context: CliContext, path: string, options: MirrorOptions): Promise<void> {
  const info = await stat(path).catch(() => null);
  if (!info?.isDirectory()) throw new Error(`${path} isn't a folder on this machine.`);
  const to = `/${options.to.split('/').filter(Boolean).join('/')}`;
  const files = await listContents(path, to);
  // An empty folder is more likely one that isn't mounted.
  if (options.delete && files.length === 0)
    throw new Error(`The folder ${path} is empty. With --delete, everything in ${to} would be deleted.`);
  const there = await listAssets(context, to);
  const work = new Mirror(context, options.rehearse);
  try {
    for (const file of files) await work.send(file, there.get(below(file.folder, file.name)));
    if (options.delete) for (const asset of there.values()) await work.remove(asset);
  } finally {
    const { created, replaced, deleted, unchanged, reused, refused } = work.counts;
    context.output.end(
      { ...work.counts, rehearsed: options.rehearse },
      `${options.rehearse ? 'Would be: ' : ''}${created} created, ${replaced} replaced, ${deleted} deleted, ${unchanged} unchanged, ${reused > 0 ? `${reused} reused, ` : ''}${refused} refused`,
    );
    if (refused > 0) context.endWith(EXIT.partly);
  }
}

/** By their paths. */
async function listAssets({ client }: CliContext, folder: string): Promise<Map<string, Asset>> {
  const found = new Map<string, Asset>();
  try {
    for await (const asset of client.assets.list({ folder, deep: true, limit: 500 }))
      found.set(below(asset.folder.path, asset.name), asset);
  } catch (error) {
    // It is made with the first file.
    if (!isMissing(error)) throw error;
  }
  return found;
}

import { type FSWatcher, watch } from 'node:fs';
import { readdir } from 'node:fs/promises';
import { join } from 'node:path';

/**
 * Tells when anything changes in a folder or below it. It watches folders and no files, so that it costs as much with a
 * hundred thousand files as with none. Hidden folders are left out.
 */
export class FolderWatch {
  readonly #watchers = new Map<string, FSWatcher>();
  readonly #onChange: () => void;
  readonly #onError: (error: unknown) => void;
  #isClosed = false;

  constructor({ onChange, onError }: { onChange: () => void; onError: (error: unknown) => void }) {
    this.#onChange = onChange;
    this.#onError = onError;
  }

  /** Begins to watch a folder and all below it; those that come later are watched, too. */
  async add(path: string): Promise<void> {
    if (this.#isClosed || this.#watchers.has(path)) return;
    try {
      const watcher = watch(path, { persistent: false }, (event, name) => this.#see(path, event, name));
      watcher.on('error', () => this.#drop(path));
      this.#watchers.set(path, watcher);
      await this.#look(path);
    } catch (error) {
      this.#drop(path);
      // It was taken away while it was looked at.
      if (!isMissing(error)) this.#onError(error);
    }
  }

  /** The folders that are watched. */
  get folders(): string[] {
    return [...this.#watchers.keys()];
  }

  close(): void {
    this.#isClosed = true;
    for (const path of this.folders) this.#drop(path);
  }

  #see(path: string, event: string, name: string | null): void {
    this.#onChange();
    // A name came or went: it may be that of a folder.
    if (event !== 'rename' || name?.startsWith('.')) return;
    this.#look(path).catch((error) => {
      if (isMissing(error)) this.#drop(path);
      else this.#onError(error);
    });
  }

  readonly #looking = new Map<string, { again: boolean }>();

  /** Looks for folders in a folder; many at a time become one, and another one after it. */
  async #look(path: string): Promise<void> {
    const going = this.#looking.get(path);
    if (going) {
      going.again = true;
      return;
    }
    const turn = { again: true };
    this.#looking.set(path, turn);
    try {
      while (turn.again && !this.#isClosed) {
        turn.again = false;
        await this.#lookOnce(path);
      }
    } finally {
      this.#looking.delete(path);
    }
  }

  async #lookOnce(path: string): Promise<void> {
    const entries = await readdir(path, { withFileTypes: true });
    const below = new Set(
      entries
        .filter((entry) => entry.isDirectory() && !entry.name.startsWith('.'))
        .map(({ name }) => join(path, name)),
    );
    for (const known of this.folders) if (isIn(known, path) && !below.has(known)) this.#drop(known);
    await Promise.all([...below].map((folder) => this.add(folder)));
  }

  /** Ends the watching of a folder and all below it. */
  #drop(path: string): void {
    for (const known of this.folders)
      if (known === path || known.startsWith(`${path}/`)) {
        this.#watchers.get(known)?.close();
        this.#watchers.delete(known);
      }
  }
}

/** Whether a folder lies directly in another one. */
function isIn(path: string, parent: string): boolean {
  return path.startsWith(`${parent}/`) && !path.slice(parent.length + 1).includes('/');
}

function isMissing(error: unknown): boolean {
  return error instanceof Error && 'code' in error && (error.code === 'ENOENT' || error.code === 'ENOTDIR');
}

import { type FSWatcher, watch } from 'node:fs';
import { readdir } from 'node:fs/promises';
import { join } from 'node:path';

/**
 * Reports changes in a folder and its subfolders. It watches folders rather than files, so that it costs the same
 * with a hundred thousand files as with none. Hidden folders are skipped.
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

  /** Starts watching a folder and its subfolders, including those created later. */
  async add(path: string): Promise<void> {
    if (this.#isClosed || this.#watchers.has(path)) return;
    try {
      const watcher = watch(path, { persistent: false }, (event, name) => this.#see(path, event, name));
      watcher.on('error', () => this.#drop(path));
      this.#watchers.set(path, watcher);
      await this.#look(path);
    } catch (error) {
      this.#drop(path);
      // It was removed during the scan.
      if (!isMissing(error)) this.#onError(error);
    }
  }

  /** The watched folders. */
  get folders(): string[] {
    return [...this.#watchers.keys()];
  }

  close(): void {
    this.#isClosed = true;
    for (const path of this.folders) this.#drop(path);
  }

  #see(path: string, event: string, name: string | null): void {
    this.#onChange();
    // A name was added or removed: it may be a folder.
    if (event !== 'rename' || name?.startsWith('.')) return;
    this.#look(path).catch((error) => {
      if (isMissing(error)) this.#drop(path);
      else this.#onError(error);
    });
  }

  readonly #looking = new Map<string, { again: boolean }>();

  /** Scans a folder for subfolders; concurrent requests become one scan, followed by one more. */
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

  /** Stops watching a folder and its subfolders. */
  #drop(path: string): void {
    for (const known of this.folders)
      if (known === path || known.startsWith(`${path}/`)) {
        this.#watchers.get(known)?.close();
        this.#watchers.delete(known);
      }
  }
}

/** Whether a folder is a direct child of another. */
function isIn(path: string, parent: string): boolean {
  return path.startsWith(`${parent}/`) && !path.slice(parent.length + 1).includes('/');
}

function isMissing(error: unknown): boolean {
  return error instanceof Error && 'code' in error && (error.code === 'ENOENT' || error.code === 'ENOTDIR');
}

import { type FSWatcher, watch } from 'node:fs';
import { readdir, stat } from 'node:fs/promises';
import { join } from 'node:path';

/**
 * Reports changes in a folder and its subfolders. It watches folders rather than files, so that it costs the same
 * with a hundred thousand files as with none. Hidden folders are skipped.
 */
export class FolderWatch {
  /** By path, with the folder that was there when it was added. */
  readonly #watched = new Map<string, { watcher: FSWatcher; inode: number }>();
  readonly #onChange: () => void;
  readonly #onError: (error: unknown) => void;
  #isClosed = false;

  constructor({ onChange, onError }: { onChange: () => void; onError: (error: unknown) => void }) {
    this.#onChange = onChange;
    this.#onError = onError;
  }

  /** Starts watching a folder and its subfolders, including those created later. */
  async add(path: string): Promise<void> {
    if (this.#isClosed || this.#watched.has(path)) return;
    try {
      const watcher = watch(path, { persistent: false }, (event, name) => this.#see(path, event, name));
      watcher.on('error', () => this.#drop(path));
      const place = { watcher, inode: 0 };
      this.#watched.set(path, place);
      place.inode = (await stat(path)).ino;
      await this.#look(path);
    } catch (error) {
      this.#drop(path);
      // It was removed during the scan.
      if (!isMissing(error)) this.#onError(error);
    }
  }

  /** The watched folders. */
  get folders(): string[] {
    return [...this.#watched.keys()];
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
    const { ino } = await stat(path);
    if (this.#watched.get(path)?.inode !== ino) {
      // Another folder of this name took its place: the one that is watched is elsewhere, or gone.
      this.#drop(path);
      await this.add(path);
      return;
    }
    const entries = await readdir(path, { withFileTypes: true });
    const below = entries.filter((entry) => entry.isDirectory() && !entry.name.startsWith('.'));
    // Those that are gone say so themselves.
    await Promise.all(below.map(({ name }) => this.add(join(path, name))));
  }

  /** Stops watching a folder and its subfolders. */
  #drop(path: string): void {
    for (const known of this.folders)
      if (known === path || known.startsWith(`${path}/`)) {
        this.#watched.get(known)?.watcher.close();
        this.#watched.delete(known);
      }
  }
}

function isMissing(error: unknown): boolean {
  return error instanceof Error && 'code' in error && (error.code === 'ENOENT' || error.code === 'ENOTDIR');
}

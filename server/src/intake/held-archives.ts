/** Something open that ends when nobody uses it. */
interface Closable {
  close(): void;
}

/** Keeps archives open between items, so that the directory of each is read once and not for every item. */
export class HeldArchives<Archive extends Closable> {
  readonly #held = new Map<string, { opened: Promise<Archive>; users: number }>();
  readonly #most: number;

  /** @param most how many stay open while nobody uses them */
  constructor(most: number) {
    this.#most = most;
  }

  /** Gives an archive to some work. Those used at the same time share it; one that can't be opened is not kept. */
  async use<Result>(
    key: string,
    open: () => Promise<Archive>,
    work: (archive: Archive) => Promise<Result>,
  ): Promise<Result> {
    const one = this.#held.get(key) ?? { opened: open(), users: 0 };
    this.#held.set(key, one);
    one.users += 1;
    try {
      return await work(
        await one.opened.catch((error) => {
          this.#held.delete(key);
          throw error;
        }),
      );
    } finally {
      one.users -= 1;
      this.#closeUnused();
    }
  }

  #closeUnused(): void {
    for (const [key, { opened, users }] of this.#held) {
      if (this.#held.size <= this.#most) return;
      if (users > 0) continue;
      this.#held.delete(key);
      void opened.then((archive) => archive.close()).catch(() => {});
    }
  }
}

/** A fixed number of slots; callers wait in order when all are taken. */
export class Slots {
  #free: number;
  readonly #waiting: (() => void)[] = [];

  constructor(count: number) {
    this.#free = count;
  }

  /**
   * Takes a slot.
   *
   * @returns a function that releases it; calling it twice is harmless
   * @throws the signal's reason when it aborts while waiting
   */
  async take(signal: AbortSignal): Promise<() => void> {
    signal.throwIfAborted();
    if (this.#free > 0) this.#free -= 1;
    else await this.#wait(signal);
    let isTaken = true;
    return () => {
      if (!isTaken) return;
      isTaken = false;
      this.#giveBack();
    };
  }

  #wait(signal: AbortSignal): Promise<void> {
    return new Promise((resolve, reject) => {
      const enter = () => {
        signal.removeEventListener('abort', leave);
        resolve();
      };
      const leave = () => {
        this.#waiting.splice(this.#waiting.indexOf(enter), 1);
        reject(signal.reason);
      };
      this.#waiting.push(enter);
      signal.addEventListener('abort', leave, { once: true });
    });
  }

  #giveBack(): void {
    const next = this.#waiting.shift();
    if (next) next();
    else this.#free += 1;
  }
}

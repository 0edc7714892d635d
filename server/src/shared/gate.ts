import { UniferumError } from './errors.js';

/** Limits concurrency. Further callers wait in order, and are rejected when the queue is full. */
export class Gate {
  readonly #atOnce: number;
  readonly #maxWaiting: number;
  readonly #waiting: (() => void)[] = [];
  #inside = 0;

  constructor({ atOnce, maxWaiting }: { atOnce: number; maxWaiting: number }) {
    this.#atOnce = atOnce;
    this.#maxWaiting = maxWaiting;
  }

  /** Runs work inside the limit. @throws UniferumError `busy` when too many wait */
  async pass<Result>(work: () => Promise<Result>): Promise<Result> {
    if (this.#inside >= this.#atOnce) await this.#wait();
    else this.#inside += 1;
    try {
      return await work();
    } finally {
      // The next waiter takes the slot over; otherwise it becomes free.
      const next = this.#waiting.shift();
      if (next) next();
      else this.#inside -= 1;
    }
  }

  #wait(): Promise<void> {
    if (this.#waiting.length >= this.#maxWaiting)
      throw new UniferumError('busy', 'Too many requests are waiting. Try again in a moment.', {
        retryAfterSeconds: 5,
      });
    return new Promise((resolve) => this.#waiting.push(resolve));
  }
}

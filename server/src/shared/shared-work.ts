interface Shared<Result> {
  result: Promise<Result>;
  abort: AbortController;
  waiters: number;
}

/** Runs work once for several waiters, and aborts it when the last of them has gone. */
export class SharedWork<Result> {
  readonly #inFlight = new Map<string, Shared<Result>>();

  /**
   * Waits for the work of a key, and starts it if it is not running.
   *
   * @throws the signal's reason when the waiter goes; the error of the work
   */
  async wait(
    key: string,
    signal: AbortSignal | undefined,
    begin: (signal: AbortSignal) => Promise<Result>,
  ): Promise<Result> {
    signal?.throwIfAborted();
    const shared = this.#inFlight.get(key) ?? this.#begin(key, begin);
    shared.waiters += 1;
    let leave: (() => void) | undefined;
    const gone = new Promise<never>((_, reject) => {
      leave = () => reject(signal?.reason);
      signal?.addEventListener('abort', leave, { once: true });
    });
    try {
      return await (signal ? Promise.race([shared.result, gone]) : shared.result);
    } finally {
      if (leave) signal?.removeEventListener('abort', leave);
      shared.waiters -= 1;
      if (shared.waiters === 0 && this.#inFlight.get(key) === shared) {
        this.#inFlight.delete(key);
        shared.abort.abort(new DOMException('Nobody waits for it any more', 'AbortError'));
      }
    }
  }

  #begin(key: string, begin: (signal: AbortSignal) => Promise<Result>): Shared<Result> {
    const abort = new AbortController();
    const shared: Shared<Result> = { result: begin(abort.signal), abort, waiters: 0 };
    this.#inFlight.set(key, shared);
    const end = () => {
      if (this.#inFlight.get(key) === shared) this.#inFlight.delete(key);
    };
    shared.result.then(end, end);
    return shared;
  }
}

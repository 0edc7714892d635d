import { setTimeout as delay } from 'node:timers/promises';
import { BucketError } from './bucket-error.js';

/** What goes wrong on demand. */
export interface Fault {
  /**
   * `slow` waits before it answers; `busy` answers 503 with `Retry-After`; `cut` breaks the connection in the middle
   * of a body; `lost` does what was asked and breaks the connection instead of answering; `corrupt` answers other bytes
   * than were stored; `deny` answers 403; `fail` answers 500.
   */
  kind: 'slow' | 'busy' | 'cut' | 'lost' | 'corrupt' | 'deny' | 'fail';
  /** The HTTP method; all when absent. */
  method?: string;
  /** A part of the key; all keys when absent. */
  key?: string;
  /** How often it happens; always when absent. */
  times?: number;
  waitMs?: number;
  retryAfterS?: number;
}

/** What happens to a request that is carried out. */
export type Damage = 'cut' | 'lost' | 'corrupt';

/** The faults in force. */
export class Faults {
  #faults: Fault[] = [];

  set(faults: readonly Fault[]): void {
    this.#faults = faults.map((fault) => ({ ...fault }));
  }

  /** Applies what answers instead, and waits. @returns what happens to the body of the answer */
  async apply(method: string, key: string): Promise<Damage | null> {
    for (const fault of this.#due(method, key)) {
      if (fault.kind === 'cut' || fault.kind === 'lost' || fault.kind === 'corrupt') return fault.kind;
      if (fault.kind === 'slow') await delay(fault.waitMs ?? 1000);
      else throw refusal(fault);
    }
    return null;
  }

  *#due(method: string, key: string): Generator<Fault> {
    for (const fault of this.#faults) {
      if ((fault.method ?? method) !== method || !key.includes(fault.key ?? '') || fault.times === 0)
        continue;
      if (fault.times !== undefined) fault.times -= 1;
      yield fault;
    }
  }
}

function refusal({ kind, retryAfterS = 1 }: Fault): BucketError {
  if (kind === 'deny') return new BucketError('AccessDenied', 'Access Denied');
  if (kind === 'fail') return new BucketError('InternalError', 'We encountered an internal error.');
  return new BucketError('SlowDown', 'Please reduce your request rate.', {
    'Retry-After': String(retryAfterS),
  });
}

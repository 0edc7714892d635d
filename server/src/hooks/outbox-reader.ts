import type { HistoryEvent } from '@uniferum/core';

/** A transaction that took an id and is not done after this time has been rolled back. */
const GAP_MS = 10_000;

/**
 * Follows the outbox without losing an event. Ids are taken before transactions commit, so a lower id can turn up after
 * a higher one: reading goes on from below the lowest gap, and what was given already is not given again.
 */
export class OutboxReader {
  /** Read what comes after this id. */
  floor: number;
  readonly #given = new Set<number>();
  /** Ids that were skipped, with the time at which that was noticed. */
  readonly #gaps = new Map<number, number>();

  constructor(floor: number) {
    this.floor = floor;
  }

  /** Takes what was read after `floor`, in the order of ids. @returns the events that are new */
  take(events: readonly HistoryEvent[], nowMs: number): HistoryEvent[] {
    const fresh = events.filter(({ id }) => !this.#given.has(Number(id)));
    let expected = this.floor + 1;
    for (const { id } of events) {
      for (; expected < Number(id); expected += 1)
        if (!this.#gaps.has(expected) && !this.#given.has(expected)) this.#gaps.set(expected, nowMs);
      this.#given.add(Number(id));
      this.#gaps.delete(Number(id));
      expected = Number(id) + 1;
    }
    for (const [id, since] of this.#gaps) if (nowMs - since > GAP_MS) this.#gaps.delete(id);
    this.floor = Math.min(expected, ...this.#gaps.keys()) - 1;
    for (const id of this.#given) if (id <= this.floor) this.#given.delete(id);
    return fresh;
  }
}

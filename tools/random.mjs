// @ts-check

/**
 * A seeded random number generator. Source: mulberry32, a 32-bit generator in the public domain by T. Ettinger (from
 * memory).
 *
 * @param {number} seed
 */
export function randomFrom(seed) {
  let state = seed >>> 0;
  const next = () => {
    state = (state + 0x6d2b79f5) >>> 0;
    let mixed = Math.imul(state ^ (state >>> 15), state | 1);
    mixed ^= mixed + Math.imul(mixed ^ (mixed >>> 7), mixed | 61);
    return ((mixed ^ (mixed >>> 14)) >>> 0) / 2 ** 32;
  };
  const below = (/** @type {number} */ end) => Math.floor(next() * end);
  return {
    next,
    /** An integer from 0 to `end`, exclusive. */
    below,
    /** @param {number} from @param {number} to */
    between: (from, to) => from + below(to - from + 1),
    /** @template Item @param {readonly Item[]} items @returns {Item} */
    pick: (items) => /** @type {Item} */ (items[below(items.length)]),
    /** @param {number} length */
    bytes: (length) => Buffer.from(Array.from({ length }, () => below(256))),
    /** An independent generator, unaffected by later use of this one. */
    fork: () => randomFrom(below(2 ** 32)),
  };
}

/** @typedef {ReturnType<typeof randomFrom>} Random */

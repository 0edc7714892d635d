// @ts-check

/** @param {number[]} values */
export function median(values) {
  const sorted = [...values].sort((a, b) => a - b);
  const middle = sorted.length / 2;
  return sorted.length % 2
    ? (sorted[Math.floor(middle)] ?? Number.NaN)
    : ((sorted[middle - 1] ?? 0) + (sorted[middle] ?? 0)) / 2;
}

/** Times `work`. @param {() => Promise<unknown>} work */
export async function seconds(work) {
  const began = performance.now();
  await work();
  return (performance.now() - began) / 1000;
}

/** Runs `work` for every item, with limited parallelism. @template Item @param {readonly Item[]} items @param {number} inFlight @param {(item: Item, index: number) => Promise<unknown>} work */
export async function inParallel(items, inFlight, work) {
  const queue = items.entries();
  await Promise.all(
    Array.from({ length: inFlight }, async () => {
      for (const [index, item] of queue) await work(item, index);
    }),
  );
}

/** @type {boolean[]} */
const verdicts = [];

/** Prints one figure with its bound. @param {string} name @param {number} value @param {{ atLeast?: number, atMost?: number, detail?: string, unit?: string }} options */
export function report(name, value, { atLeast, atMost, detail = '', unit = '' }) {
  const isGood = (atLeast === undefined || value >= atLeast) && (atMost === undefined || value <= atMost);
  const bound = atLeast === undefined ? `at most ${atMost}` : `at least ${atLeast}`;
  verdicts.push(isGood);
  console.log(
    `${isGood ? 'ok    ' : 'MISSED'}  ${name}: ${value.toFixed(2)}${unit} (${bound}${unit})${detail && `; ${detail}`}`,
  );
}

/** Tells whether every figure kept to its bound. */
export function allGood() {
  return verdicts.every(Boolean);
}

// @ts-check
// Finds files that import each other in a circle, type imports included.
import { targetsOf } from './read-imports.mjs';

/**
 * Lists circles as groups of files in which each file reaches every other.
 *
 * Source of the method: R. Tarjan, "Depth-first search and linear graph algorithms", SIAM Journal on Computing 1 (1972).
 *
 * @param {readonly import('./read-imports.mjs').Source[]} sources
 * @returns {string[][]}
 */
export function findCircles(sources) {
  const known = new Set(sources.map(({ file }) => file));
  const edges = new Map(
    sources.map((source) => [source.file, targetsOf(source, known).map(({ target }) => target)]),
  );
  /** @type {Map<string, number>} */
  const order = new Map();
  /** @type {Map<string, number>} */
  const low = new Map();
  /** @type {string[]} */
  const open = [];
  /** @type {string[][]} */
  const circles = [];
  const visit = (/** @type {string} */ file) => {
    order.set(file, order.size);
    low.set(file, order.size - 1);
    open.push(file);
    for (const target of edges.get(file) ?? []) {
      if (!order.has(target)) {
        visit(target);
        low.set(file, Math.min(low.get(file) ?? 0, low.get(target) ?? 0));
      } else if (open.includes(target)) low.set(file, Math.min(low.get(file) ?? 0, order.get(target) ?? 0));
    }
    if (low.get(file) !== order.get(file)) return;
    const group = open.splice(open.indexOf(file));
    if (group.length > 1 || (edges.get(file) ?? []).includes(file)) circles.push(group.sort());
  };
  for (const { file } of sources) if (!order.has(file)) visit(file);
  return circles;
}

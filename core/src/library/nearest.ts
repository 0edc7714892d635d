/** The Damerau–Levenshtein distance (optimal string alignment) of two short words, in edits. */
export function editDistance(a: string, b: string): number {
  const rows = Array.from({ length: a.length + 1 }, (_, i) => [i, ...new Array<number>(b.length).fill(0)]);
  const at = (i: number, j: number) => rows[i]?.[j] ?? 0;
  for (let j = 0; j <= b.length; j += 1) (rows[0] as number[])[j] = j;
  for (let i = 1; i <= a.length; i += 1) {
    for (let j = 1; j <= b.length; j += 1) {
      const cost = a[i - 1] === b[j - 1] ? 0 : 1;
      let best = Math.min(at(i - 1, j) + 1, at(i, j - 1) + 1, at(i - 1, j - 1) + cost);
      const isSwap = i > 1 && j > 1 && a[i - 1] === b[j - 2] && a[i - 2] === b[j - 1];
      if (isSwap) best = Math.min(best, at(i - 2, j - 2) + 1);
      (rows[i] as number[])[j] = best;
    }
  }
  return at(a.length, b.length);
}

/**
 * Finds the word that was probably meant: one with the same beginning, or at most two edits away and at most half of the
 * shorter word; null without one.
 */
export function nearestWord(word: string, words: readonly string[]): string | null {
  const lower = word.toLowerCase();
  const begun = lower.length >= 2 ? words.find((candidate) => candidate.startsWith(lower)) : undefined;
  if (begun !== undefined) return begun;
  const ranked = words
    .map((candidate) => ({ candidate, distance: editDistance(lower, candidate) }))
    .filter(
      ({ candidate, distance }) =>
        distance <= Math.min(2, Math.floor(Math.min(candidate.length, lower.length) / 2)),
    )
    .sort((a, b) => a.distance - b.distance);
  return ranked[0]?.candidate ?? null;
}

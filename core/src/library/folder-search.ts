/** The folders that match what was typed, best first. */
export interface FolderMatches {
  paths: string[];
  /** The number of further matches. */
  more: number;
}

/**
 * Finds folders by words of their paths, in any order and case. A folder whose own name starts with the last word
 * ranks before one that contains it, and that before folders below a match; among equals, shorter paths rank first,
 * so that a folder precedes its subfolders.
 *
 * @param most the maximum number of results
 */
export function searchFolders(paths: readonly string[], typed: string, most: number): FolderMatches {
  const words = typed.toLowerCase().split(/\s+/).filter(Boolean);
  if (words.length === 0) return { paths: paths.slice(0, most), more: Math.max(0, paths.length - most) };
  const last = words[words.length - 1] as string;
  const found: { path: string; rank: number }[] = [];
  for (const path of paths) {
    const lower = path.toLowerCase();
    if (words.every((word) => lower.includes(word))) found.push({ path, rank: rankOf(lower, last) });
  }
  found.sort((a, b) => a.rank - b.rank || a.path.length - b.path.length || (a.path < b.path ? -1 : 1));
  return { paths: found.slice(0, most).map(({ path }) => path), more: Math.max(0, found.length - most) };
}

function rankOf(path: string, word: string): number {
  const name = path.slice(path.lastIndexOf('/') + 1);
  if (name.startsWith(word)) return 0;
  return name.includes(word) ? 1 : 2;
}

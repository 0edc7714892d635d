/** Groups items by a key, in order. (`Map.groupBy` requires Node.js 21.) */
export function groupBy<Key, Item>(items: readonly Item[], keyOf: (item: Item) => Key): Map<Key, Item[]> {
  const groups = new Map<Key, Item[]>();
  for (const item of items) {
    const key = keyOf(item);
    const group = groups.get(key);
    if (group) group.push(item);
    else groups.set(key, [item]);
  }
  return groups;
}

/** Splits a stream into groups of a size; the last one may be smaller. */
export async function* inGroups<Item>(
  items: Iterable<Item> | AsyncIterable<Item>,
  size: number,
): AsyncGenerator<Item[]> {
  let group: Item[] = [];
  for await (const item of items) {
    group.push(item);
    if (group.length < size) continue;
    yield group;
    group = [];
  }
  if (group.length > 0) yield group;
}

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

/** What a group may have at most. */
interface GroupLimits<Item> {
  count: number;
  load: number;
  loadOf(item: Item): number;
}

/** Splits a list into groups, in order. What is more than a group may have is a group by itself. */
export function inBoundedGroups<Item>(
  items: readonly Item[],
  { count, load, loadOf }: GroupLimits<Item>,
): Item[][] {
  const groups: Item[][] = [];
  let left = 0;
  for (const item of items) {
    const own = loadOf(item);
    let group = groups.at(-1);
    if (!group || group.length === count || left < own) {
      group = [];
      groups.push(group);
      left = load;
    }
    group.push(item);
    left -= own;
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

import { joinPath, nameCandidates, splitName } from '@uniferum/core/library';
import type { Transaction } from '../shared/database.js';
import { findForward, findForwardedPaths } from './folder-queries.js';
import { findHolders, findNameHolder, findStemHolder } from './place-queries.js';

/** The name of an asset, and the stem of its renditions' URLs. */
export interface PlacedName {
  name: string;
  addressStem: string;
}

const NOTHING_GIVEN = { names: new Set<string>(), stems: new Set<string>() };

/** The keys under which the URLs of an asset are stored when they become old; see migration 0002. */
export function addressKeys(
  folderPath: string,
  { name, addressStem }: PlacedName,
): [original: string, renditions: string] {
  return [joinPath(folderPath, name), joinPath(folderPath, `${addressStem}~`)];
}

/**
 * Finds a name in a folder whose URLs have never meant anything else: not used by a live asset, and not an old URL
 * that redirects to another one. `dusk.png` beside `dusk.jpg` keeps its name, but its renditions get the stem
 * `dusk.png`.
 *
 * @param given names assigned in this transaction and not written yet
 * @param self the asset to be placed, when it exists already: its own old URLs are free for it
 */
export async function findFreeAddress(
  tx: Transaction,
  folder: { id: string; path: string },
  name: string,
  self?: string,
  given: { names: ReadonlySet<string>; stems: ReadonlySet<string> } = NOTHING_GIVEN,
): Promise<PlacedName> {
  const isFree = async (holder: string | null, address: string) => {
    if (holder !== null && holder !== self) return false;
    const forward = await findForward(tx, joinPath(folder.path, address));
    return forward === null || forward.assetId === self;
  };
  const freeName = await firstFree(nameCandidates(name), async (candidate) =>
    given.names.has(candidate) ? false : isFree(await findNameHolder(tx, folder.id, candidate), candidate),
  );
  const stems = (function* () {
    yield splitName(freeName).stem;
    yield* nameCandidates(freeName);
  })();
  const addressStem = await firstFree(stems, async (stem) =>
    given.stems.has(stem) ? false : isFree(await findStemHolder(tx, folder.id, stem), `${stem}~`),
  );
  return { name: freeName, addressStem };
}

/**
 * Finds places for several new assets of a folder. Names without conflicts are determined in a few statements for
 * all; only the others are looked up one by one.
 */
export async function findFreeAddresses(
  tx: Transaction,
  folder: { id: string; path: string },
  names: readonly string[],
): Promise<PlacedName[]> {
  if (names.length === 1) return [await findFreeAddress(tx, folder, names[0] as string)];
  const stems = names.map((name) => splitName(name).stem);
  const held = await findHolders(tx, folder.id, [...new Set([...names, ...stems])]);
  const old = await findForwardedPaths(tx, [
    ...new Set([
      ...names.map((name) => joinPath(folder.path, name)),
      ...stems.map((stem) => joinPath(folder.path, `${stem}~`)),
    ]),
  ]);
  const given = { names: new Set<string>(), stems: new Set<string>() };
  const places: PlacedName[] = [];
  for (const [index, name] of names.entries()) {
    const stem = stems[index] as string;
    const isFree =
      !held.names.has(name) &&
      !held.stems.has(stem) &&
      !given.names.has(name) &&
      !given.stems.has(stem) &&
      !old.has(joinPath(folder.path, name)) &&
      !old.has(joinPath(folder.path, `${stem}~`));
    const place = isFree
      ? { name, addressStem: stem }
      : await findFreeAddress(tx, folder, name, undefined, given);
    given.names.add(place.name);
    given.stems.add(place.addressStem);
    places.push(place);
  }
  return places;
}

async function firstFree(
  candidates: Generator<string>,
  isFree: (candidate: string) => Promise<boolean>,
): Promise<string> {
  for (const candidate of candidates) {
    if (await isFree(candidate)) return candidate;
  }
  throw new Error('Expected candidates without end, got an end');
}

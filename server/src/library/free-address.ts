import { joinPath, nameCandidates, splitName } from '@uniferum/core';
import type { Transaction } from '../shared/database.js';
import { findNameHolder, findStemHolder } from './asset-queries.js';
import { findForward } from './folder-queries.js';

/** The name of an asset, and the stem that its renditions' addresses have. */
export interface PlacedName {
  name: string;
  addressStem: string;
}

/** The keys under which the addresses of an asset are kept when they become old; see migration 0002. */
export function addressKeys(
  folderPath: string,
  { name, addressStem }: PlacedName,
): [original: string, renditions: string] {
  return [joinPath(folderPath, name), joinPath(folderPath, `${addressStem}~`)];
}

/**
 * Finds a name in a folder whose addresses never meant anything else: not held by a live asset, and not an old address
 * that forwards to another one. `dusk.png` beside `dusk.jpg` keeps its name, but its renditions get the stem `dusk.png`.
 *
 * @param self the asset that is to be placed, when it exists already: its own old addresses are free for it
 */
export async function findFreeAddress(
  tx: Transaction,
  folder: { id: string; path: string },
  name: string,
  self?: string,
): Promise<PlacedName> {
  const isFree = async (holder: string | null, address: string) => {
    if (holder !== null && holder !== self) return false;
    const forward = await findForward(tx, joinPath(folder.path, address));
    return forward === null || forward.assetId === self;
  };
  const freeName = await firstFree(nameCandidates(name), async (candidate) =>
    isFree(await findNameHolder(tx, folder.id, candidate), candidate),
  );
  const stems = (function* () {
    yield splitName(freeName).stem;
    yield* nameCandidates(freeName);
  })();
  const addressStem = await firstFree(stems, async (stem) =>
    isFree(await findStemHolder(tx, folder.id, stem), `${stem}~`),
  );
  return { name: freeName, addressStem };
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

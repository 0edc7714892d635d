import { addToCounter } from '../shared/counters.js';
import type { Transaction } from '../shared/database.js';
import type { AssetRow } from './asset-queries.js';
import { countHolders, findCopies } from './blob-queries.js';
import { countFacets, facetSubject } from './facet-queries.js';
import { addToFolder } from './folder-queries.js';

/** Adds an asset to all stored counters, or removes it from them. */
export async function countAsset(tx: Transaction, row: AssetRow, sign: 1 | -1): Promise<void> {
  const amount = { items: sign, bytes: sign * row.bytes };
  await addToFolder(tx, String(row.folder_id), amount);
  await addToCounter(tx, 'kind', row.kind, amount);
  await countHolders(tx, [row.sha256], sign);
  await countFacets(tx, [{ sign, subject: facetSubject(row, await storeOf(tx, row.sha256)) }]);
}

/** The store that an asset counts towards: the first one that has its bytes. */
export async function storeOf(tx: Transaction, sha256: string): Promise<string | null> {
  return (await findCopies(tx, [sha256]))[0]?.store ?? null;
}

import { listPlacements } from '../copies/placement-queries.js';
import type { Transaction } from '../shared/database.js';
import type { StoredDocument } from './document-queries.js';
import { queueToFollow } from './follow-queries.js';

/** Queues what documents show that have just been indexed, where a placement gives pages the addresses of a store. */
export async function followIndexed(tx: Transaction, documents: readonly StoredDocument[]): Promise<void> {
  if (!(await listPlacements(tx)).some(({ rewritePages }) => rewritePages)) return;
  const shown = documents.flatMap(({ references }) =>
    references.flatMap(({ assetId, place }) => (assetId === null || place === null ? [] : [assetId])),
  );
  await queueToFollow(
    tx,
    [...new Set(shown)].sort((a, b) => a - b),
  );
}

import { type Database, inTransaction } from '../shared/database.js';
import { removeDocuments } from './index-source.js';
import {
  breakUses,
  forgetAssets,
  listDeletedSources,
  listStaleReferences,
  mendUses,
} from './reference-queries.js';

/** Does what one transaction leaves over: many references to one asset, and documents of deleted sources. */
export async function sweepReferences(db: Database): Promise<number> {
  let mended = 0;
  for (const { asset_id, live, is_there } of await listStaleReferences(db)) {
    await inTransaction(db, async (tx) => {
      if (!is_there) await forgetAssets(tx, [String(asset_id)]);
      else if (live === null) await breakUses(tx, asset_id);
      else await mendUses(tx, asset_id);
    });
    mended += 1;
  }
  for (const id of await listDeletedSources(db)) await removeDocuments(db, id);
  return mended;
}

import { findHomeCopies } from '../library/home-copy-queries.js';
import type { ByteStore } from '../shared/byte-store.js';
import type { Executor } from '../shared/database.js';
import { type CopyRow, findGoodCopies } from './copy-queries.js';
import { findOtherHolders } from './home-queries.js';

/** Whether this is the only good copy of bytes that some asset still holds. */
export async function isLast(
  db: Executor,
  home: Pick<ByteStore, 'name' | 'measure'>,
  { id, sha256, bytes, state }: CopyRow,
): Promise<boolean> {
  if (state !== 'stored') return false;
  const [atHome] = await findHomeCopies(db, home.name, [sha256], { lock: true });
  if (atHome && atHome.damaged_at === null && (await home.measure(sha256)) === bytes) return false;
  if ((await findGoodCopies(db, sha256)).some((other) => other.id !== id && other.stale_at === null))
    return false;
  return (await findOtherHolders(db, sha256, [0])).length > 0;
}

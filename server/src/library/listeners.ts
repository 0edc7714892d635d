import type { Transaction } from '../shared/database.js';
import type { Joints } from './joints.js';

/** Takes the locks of all listening rooms before anything else is locked. */
export async function lockFor(
  { listeners }: Pick<Joints, 'listeners'>,
  tx: Transaction,
  { ids = [], paths = [] }: { ids?: readonly string[]; paths?: readonly string[] },
): Promise<void> {
  for (const listener of listeners) await listener.lock?.(tx, { ids, paths });
}

import type { Reason } from '@uniferum/core/intake';
import type { Database, Transaction } from '../shared/database.js';
import { UniferumError } from '../shared/errors.js';
import type { StoredFolder } from './folder-queries.js';
import type { AssetChange, AssetGuard, FolderGuard, FolderMove, Joints, Objection } from './joints.js';

/** What guards prepared for changes before anything was locked. */
export interface Preparation {
  assets: ReadonlyMap<AssetGuard, unknown>;
  folders: ReadonlyMap<FolderGuard, unknown>;
}

/** For changes that need no preparation. */
export const NOTHING_PREPARED: Preparation = { assets: new Map(), folders: new Map() };

/** Lets all guards prepare for changes. */
export async function prepareChanges(
  { guards }: Pick<Joints, 'guards'>,
  db: Database,
  changes: readonly AssetChange[],
): Promise<Preparation> {
  if (changes.length === 0) return NOTHING_PREPARED;
  const assets = new Map<AssetGuard, unknown>();
  for (const guard of guards) if (guard.prepare) assets.set(guard, await guard.prepare(db, changes));
  return { ...NOTHING_PREPARED, assets };
}

/** Lets all guards prepare for the move of a folder. */
export async function prepareFolderMove(
  { folderGuards }: Pick<Joints, 'folderGuards'>,
  db: Database,
  move: FolderMove,
): Promise<Preparation> {
  if (move.from === move.to) return NOTHING_PREPARED;
  const folders = new Map<FolderGuard, unknown>();
  for (const guard of folderGuards) if (guard.prepare) folders.set(guard, await guard.prepare(db, move));
  return { ...NOTHING_PREPARED, folders };
}

/** Collects the objections of all guards: the same for a rehearsal and for the change itself. */
export async function findObjections(
  { guards }: Pick<Joints, 'guards'>,
  tx: Transaction,
  changes: readonly AssetChange[],
  prepared: Preparation = NOTHING_PREPARED,
): Promise<Objection[]> {
  const objections: Objection[] = [];
  for (const guard of guards)
    objections.push(...(await guard.judge(tx, changes, prepared.assets.get(guard))));
  return objections;
}

/**
 * Asserts that no guard blocks a change.
 *
 * @returns the objections that don't
 * @throws UniferumError `refused`, `conflict` with the reasons
 */
export async function requireChange(
  joints: Pick<Joints, 'guards'>,
  tx: Transaction,
  change: AssetChange,
  prepared: Preparation = NOTHING_PREPARED,
): Promise<Objection[]> {
  const objections = await findObjections(joints, tx, [change], prepared);
  requireNone(objections);
  return objections;
}

/** Asserts that no guard blocks the move of a folder. @throws UniferumError `refused`, `conflict` with the reasons */
export async function requireFolderMove(
  { folderGuards }: Pick<Joints, 'folderGuards'>,
  tx: Transaction,
  { move, within, prepared }: { move: FolderMove; within: readonly StoredFolder[]; prepared: Preparation },
): Promise<void> {
  for (const guard of folderGuards)
    requireNone(await guard.judge(tx, move, within, prepared.folders.get(guard)));
}

/** Converts objections to an error. @throws UniferumError when one of them blocks */
export function requireNone(objections: readonly Objection[]): void {
  const blocking = objections.filter(({ isBlocking }) => isBlocking);
  const [first] = blocking;
  if (!first) return;
  const refusals = blocking.filter(({ problem }) => problem === 'refused');
  const reasons = (refusals.length > 0 ? refusals : blocking).map(({ reason }) => reason);
  const detail = reasons.map(({ message }) => message).join(' ');
  if (refusals.length === 0)
    throw new UniferumError('conflict', detail, {
      errors: reasons.map(({ code, message }) => ({ field: '', code, message })),
    });
  throw new UniferumError('refused', detail, {
    verdict: { name: (refusals[0] ?? first).name, outcome: 'refused', reasons: reasons as Reason[] },
  });
}

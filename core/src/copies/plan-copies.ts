import { type Copy, type CopyState, goodCopies } from './copy.js';

/** What somebody wants of the copies of some bytes. */
export type CopyAction = 'add' | 'drop';

/** Why nothing is done: the first two are as wished already, the others can't be done. */
export type CopyRefusal = 'present' | 'absent' | 'last-copy' | 'no-good-copy';

/** The state in which a copy is put, or why it isn't. */
export type CopyPlan = { ok: true; state: CopyState } | { ok: false; reason: CopyRefusal };

/**
 * Plans to add or drop the copy in a store. The last good copy is never dropped: copies that are wanted or on their way
 * don't count, because they may not arrive.
 */
export function planCopy(copies: readonly Copy[], action: CopyAction, store: string): CopyPlan {
  const here = copies.find((copy) => copy.store === store) ?? null;
  const elsewhere = goodCopies(copies).filter((copy) => copy.store !== store);
  if (action === 'add') {
    if (here !== null && here.state !== 'damaged' && here.state !== 'removing') return refuse('present');
    // A copy about to be deleted may be gone already: it is stored anew, from another one.
    return elsewhere.length === 0 ? refuse('no-good-copy') : { ok: true, state: 'wanted' };
  }
  if (here === null || here.state === 'removing') return refuse('absent');
  if (here.state === 'stored' && elsewhere.length === 0) return refuse('last-copy');
  // What was never stored leaves nothing to delete, but may be on its way.
  return { ok: true, state: 'removing' };
}

function refuse(reason: CopyRefusal): CopyPlan {
  return { ok: false, reason };
}

/** What a folder says about the copies of its files. */
export interface Placement {
  /** The stores that hold a copy, besides the home store. */
  stores: readonly string[];
  /** Whether the home store keeps its copy: always, never, or for so many days. */
  keepLocal: boolean | number;
}

/** A step that a placement asks for. */
export interface PlacementStep {
  action: CopyAction;
  store: string;
  state: CopyState;
}

const DAY_MS = 86_400_000;

/**
 * Plans what a placement asks for. Copies in stores that it doesn't name stay: somebody may have added them by hand. The
 * home store's copy goes only when every store that is named has a good one.
 *
 * @param home the name of the home store
 * @param ageMs how old the bytes are
 */
export function planPlacement(
  copies: readonly Copy[],
  { stores, keepLocal }: Placement,
  { home, ageMs }: { home: string; ageMs: number },
): PlacementStep[] {
  const steps: PlacementStep[] = [];
  for (const store of stores) {
    const plan = planCopy(copies, 'add', store);
    if (plan.ok) steps.push({ action: 'add', store, state: plan.state });
  }
  const isDue = keepLocal === false || (typeof keepLocal === 'number' && ageMs >= keepLocal * DAY_MS);
  const good = new Set(goodCopies(copies).map(({ store }) => store));
  const away = stores.filter((store) => store !== home);
  if (isDue && away.length > 0 && away.every((store) => good.has(store)) && !stores.includes(home)) {
    const plan = planCopy(copies, 'drop', home);
    if (plan.ok) steps.push({ action: 'drop', store: home, state: plan.state });
  }
  return steps;
}

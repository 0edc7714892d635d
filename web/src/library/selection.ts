import type { AssetSelection } from '@uniferum/client';
import { create } from 'zustand';

interface SelectionState {
  /** The chosen assets, in the order in which they were chosen. */
  ids: ReadonlySet<string>;
  /** Everything that the filter finds is chosen, also what was never scrolled to. */
  isAll: boolean;
  last: string | null;
  toggle: (id: string) => void;
  /** Chooses everything from the one chosen last up to this one, in the order of the list. */
  extendTo: (id: string, order: readonly string[]) => void;
  chooseAll: () => void;
  clear: () => void;
}

const NOTHING = { ids: new Set<string>(), isAll: false, last: null };

/** What is chosen in the library; it stays while pages are loaded and layouts change. */
export const useSelection = create<SelectionState>((set, get) => ({
  ...NOTHING,
  toggle: (id) => {
    const ids = new Set(get().ids);
    if (!ids.delete(id)) ids.add(id);
    set({ ids, isAll: false, last: id });
  },
  extendTo: (id, order) => {
    const { last, ids } = get();
    const [from, to] = [order.indexOf(last ?? id), order.indexOf(id)].sort((a, b) => a - b) as [
      number,
      number,
    ];
    if (from < 0) get().toggle(id);
    else set({ ids: new Set([...ids, ...order.slice(from, to + 1)]), isAll: false, last: id });
  },
  chooseAll: () => set({ isAll: true, ids: new Set() }),
  clear: () => set(NOTHING),
}));

/** The chosen assets as the API takes them. */
export function toSelection(
  { ids, isAll }: Pick<SelectionState, 'ids' | 'isAll'>,
  found: { q: string; folder: string; deep: boolean },
): AssetSelection {
  return isAll ? found : { ids: [...ids] };
}

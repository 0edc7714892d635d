import type { AssetSelection } from '@uniferum/client';
import { create } from 'zustand';

interface SelectionState {
  /** The selected assets, in order of selection. */
  ids: ReadonlySet<string>;
  /** All results are selected, including those not loaded yet. */
  isAll: boolean;
  last: string | null;
  toggle: (id: string) => void;
  /** Selects everything from the last selected asset to this one, in list order. */
  extendTo: (id: string, order: readonly string[]) => void;
  chooseAll: () => void;
  clear: () => void;
}

const NOTHING = { ids: new Set<string>(), isAll: false, last: null };

/** The library's selection; it persists while pages are loaded and layouts change. */
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

/** The selection in the API's format. */
export function toSelection(
  { ids, isAll }: Pick<SelectionState, 'ids' | 'isAll'>,
  found: { q: string; folder: string; deep: boolean },
): AssetSelection {
  return isAll ? found : { ids: [...ids] };
}

import { create } from 'zustand';

type Overlay = 'palette' | 'shortcuts';

interface OverlayState {
  shown: Overlay | null;
  open: (overlay: Overlay) => void;
  close: () => void;
}

/** The sheet that covers the console. */
export const useOverlays = create<OverlayState>((set) => ({
  shown: null,
  open: (shown) => set({ shown }),
  close: () => set({ shown: null }),
}));

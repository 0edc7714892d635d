import type { Asset } from '@uniferum/core/library';

/** The props shared by sheet and table. */
export interface ListingProps {
  assets: readonly Asset[];
  chosen: string | null;
  /** Opens or closes an asset's line. */
  onChoose: (id: string) => void;
  /** Moves to another asset by keyboard. */
  onMove: (id: string) => void;
  /** Called when the end of the loaded assets is near. */
  onNearEnd: () => void;
}

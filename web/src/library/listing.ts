import type { Asset } from '@uniferum/core/library';

/** What the sheet and the table are both given. */
export interface ListingProps {
  assets: readonly Asset[];
  chosen: string | null;
  /** Opens the line of an asset, or closes it. */
  onChoose: (id: string) => void;
  /** Goes to another asset by keyboard. */
  onMove: (id: string) => void;
  /** Told when the end of what was loaded comes near. */
  onNearEnd: () => void;
}

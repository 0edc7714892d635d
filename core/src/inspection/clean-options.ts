import type { StatedRights } from './rights-blocks.js';

/**
 * What a cleaned file keeps of the metadata that is embedded in it: all but pictures (previews of what the file may not show
 * any more), what says whose it is, or nothing.
 */
export type KeptMetadata = 'all-but-pictures' | 'rights' | 'none';

/** How a file is to be cleaned. How a picture is to be turned and its colours always stay. */
export interface CleanOptions {
  keep: KeptMetadata;
  /** What is written into the file when the rights are kept. */
  rights: StatedRights;
  /** The Exif orientation, 1 to 8. */
  orientation: number | null;
}

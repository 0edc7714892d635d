import type { MetadataBlocks } from './metadata-blocks.js';
import type { StatedRights } from './rights-blocks.js';

/**
 * Which embedded metadata a cleaned file has: its own except pictures (previews of parts that the file may no longer
 * show), rights information only, nothing, or what is given instead.
 */
export type KeptMetadata = 'all-but-pictures' | 'rights' | 'none' | 'given';

/** How a file is cleaned. Orientation and colours of a picture are always kept. */
export interface CleanOptions {
  keep: KeptMetadata;
  /** Written into the file when rights are kept. */
  rights: StatedRights;
  /** The Exif orientation, 1 to 8. */
  orientation: number | null;
  /** Instead of its own metadata. */
  given?: MetadataBlocks;
}

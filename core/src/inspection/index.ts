export { type ByteSource, BytesInMemory, requireWithin } from './bytes.js';
export { CLEANER_VERSION, cleanFile, isCleanable } from './clean.js';
export type { CleanOptions, KeptMetadata } from './clean-options.js';
export { applyPieces, lengthOfPieces, type Piece, slicePieces } from './edits.js';
export type { PictureFacts } from './exif-block.js';
export { type MetadataBlocks, metadataForPicture, metadataOfRights, NO_METADATA } from './own-metadata.js';
export { NO_RIGHTS, type StatedRights } from './rights-blocks.js';
export { isTruncated } from './truncated.js';

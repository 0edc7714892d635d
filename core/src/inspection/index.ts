export { type ByteSource, BytesInMemory, requireWithin } from './bytes.js';
export { CLEANER_VERSION, cleanFile, isCleanable } from './clean.js';
export type { CleanWish, KeptMetadata } from './clean-wish.js';
export { carryOutPieces, lengthOfPieces, type Piece, slicePieces } from './edits.js';
export { NO_RIGHTS, type StatedRights } from './rights-blocks.js';

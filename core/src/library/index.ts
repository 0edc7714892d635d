export {
  type Asset,
  type AssetCopy,
  type AssetOrigin,
  type AssetRendition,
  type AssetTexts,
  type Folder,
  type HistoryEvent,
  type LinkFacts,
  type Page,
  TEXT_FIELDS,
} from './asset.js';
export {
  type BulkChange,
  type BulkDifference,
  type BulkOutcome,
  type BulkSubject,
  fillPattern,
  PATTERN_WORDS,
  PLAIN_TEXTS,
  type PlainText,
  planBulkChange,
} from './bulk-change.js';
export {
  type CaptureTime,
  EARLIEST_TIME,
  LATEST_TIME,
  parseCaptureTime,
  shiftTime,
  writeLocalTime,
  writeTime,
  writeWithOffset,
} from './capture-time.js';
export {
  dayNumber,
  type Facet,
  type FacetScope,
  type FacetSubject,
  facetsOf,
  indexedWords,
  MISSING_FIELD_BITS,
  ratioKey,
  sizeClass,
  sizeClassFloor,
} from './facets.js';
export {
  type Condition,
  DEFAULT_NEAR_DISTANCE,
  defineFilterField,
  FILTER_TEXTS,
  type Filter,
  type FilterError,
  type FilterField,
  type FilterNumber,
  type FilterResult,
  type FilterText,
  type FilterVocabulary,
  MAX_NEAR_DISTANCE,
  type NumberSpan,
  type PluggedFilterField,
  type TimeSpan,
} from './filter.js';
export { type Completion, completeFilter } from './filter-complete.js';
export { chooseWord, eachValue, FilterFault, takeValue, valuePlace } from './filter-fault.js';
export { LIBRARY_FIELDS } from './filter-fields.js';
export { parseFilter } from './filter-parse.js';
export type { FocalPoint } from './focal-point.js';
export {
  DEFAULT_PUBLIC_METADATA,
  type FolderAccess,
  type FolderAccessAnswer,
  type FolderAccessChange,
  PUBLIC_METADATA,
  type PublicMetadata,
  resolveAccess,
  VISIBILITIES,
  type Visibility,
} from './folder-access.js';
export { type FolderMatches, searchFolders } from './folder-search.js';
export { KINDS, type Kind } from './kinds.js';
export {
  capturedAt,
  DEFAULT_MAPPING,
  EMBEDDED_FIELDS,
  type EmbeddedField,
  type EmbeddedMetadata,
  isQuarterTurned,
  MAPPED_TEXTS,
  type MappedText,
  type MetadataMapping,
  mayFill,
  textsFromMetadata,
} from './metadata.js';
export {
  cleanName,
  MAX_NAME_LENGTH,
  MAX_SENT_NAME_LENGTH,
  type NameParts,
  nameCandidates,
  splitName,
  withoutDirectionMarks,
} from './names.js';
export {
  encodePath,
  folderName,
  isWithin,
  joinPath,
  MAX_PATH_LENGTH,
  type MediaAddress,
  originalAddress,
  type PathResult,
  parentPath,
  parseFolderPath,
  parseMediaAddress,
  pathChain,
  ROOT_PATH,
  renditionAddress,
  versionedAddress,
} from './paths.js';
export {
  bandProbes,
  groupPairs,
  HASH_BANDS,
  HASH_INPUT_SIDE,
  hashBands,
  hashDistance,
  perceptualHash,
  type SimilarPair,
} from './perceptual-hash.js';
export { ASSET_SORTS, type AssetSort, DEFAULT_SORT } from './sorts.js';
export { findLongTexts, fitTexts, type LongText, TEXT_LIMITS } from './text-limits.js';

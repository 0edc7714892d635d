export {
  type ArchiveEntry,
  type ArchiveLimits,
  type ArchivePlan,
  archiveFolder,
  decodeEntryName,
  type PlannedEntry,
  planArchive,
} from './archive.js';
export {
  CHUNK_LIMITS,
  chunkBatch,
  INTAKE_WAYS,
  type Intake,
  type IntakeFile,
  type IntakeWay,
} from './batch.js';
export { type DataUri, parseDataUri } from './data-uri.js';
export { formatBeyond, formatBytes, formatCount } from './format.js';
export {
  MANIFEST_FIELDS,
  type ManifestFault,
  type ManifestField,
  type ManifestMapping,
  type ManifestPlan,
  type ManifestRow,
  planManifest,
  proposeMapping,
} from './manifest.js';
export { decodeMarkup, wideEncoding } from './markup.js';
export {
  extensionOfMime,
  kindOfMime,
  MEDIA_TYPES,
  type MediaType,
  typeByExtension,
  typeByMime,
  UNKNOWN_MIME,
} from './media-types.js';
export { needsMoreToSniff, SNIFF_BYTES, sniffMime } from './sniff.js';
export {
  type Outcome,
  REASON_CODES,
  type Reason,
  type ReasonCode,
  type Verdict,
  withRefusal,
  withWarning,
} from './verdict.js';
export { REASON_WORDS, summarizeVerdicts, type VerdictSummary } from './verdict-summary.js';

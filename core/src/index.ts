export { ALL_RIGHTS, type ApiKey, hasRight, type Me, RIGHTS, type Right } from './access/rights.js';
export { type Amount, FLOW_SOURCES, type Flow, type FlowSource, flowSource } from './flow/flow.js';
export {
  type ArchiveEntry,
  type ArchiveLimits,
  type ArchivePlan,
  archiveFolder,
  decodeEntryName,
  type PlannedEntry,
  planArchive,
} from './intake/archive.js';
export {
  CHUNK_LIMITS,
  chunkBatch,
  INTAKE_WAYS,
  type Intake,
  type IntakeFile,
  type IntakeWay,
} from './intake/batch.js';
export { type DataUri, parseDataUri } from './intake/data-uri.js';
export { formatBytes, formatCount } from './intake/format.js';
export {
  MANIFEST_FIELDS,
  type ManifestFault,
  type ManifestField,
  type ManifestMapping,
  type ManifestPlan,
  type ManifestRow,
  type ManifestTable,
  planManifest,
  proposeMapping,
  readManifest,
} from './intake/manifest.js';
export {
  extensionOfMime,
  kindOfMime,
  MEDIA_TYPES,
  type MediaType,
  typeByExtension,
  typeByMime,
  UNKNOWN_MIME,
} from './intake/media-types.js';
export { SNIFF_BYTES, sniffMime } from './intake/sniff.js';
export {
  type Outcome,
  REASON_CODES,
  type Reason,
  type ReasonCode,
  type Verdict,
  withRefusal,
  withRemark,
} from './intake/verdict.js';
export {
  type Asset,
  type AssetCopy,
  type AssetOrigin,
  type AssetRendition,
  type AssetTexts,
  type FocalPoint,
  type Folder,
  type HistoryEvent,
  type LinkFacts,
  type Page,
  TEXT_FIELDS,
} from './library/asset.js';
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
} from './library/bulk-change.js';
export {
  dayNumber,
  type Facet,
  type FacetScope,
  type FacetSubject,
  facetsOf,
  indexedWords,
  LACKS_BITS,
  ratioKey,
  sizeClass,
  sizeClassFloor,
} from './library/facets.js';
export {
  type Condition,
  DEFAULT_NEAR_DISTANCE,
  FILTER_FIELDS,
  FILTER_TEXTS,
  type Filter,
  type FilterError,
  type FilterField,
  type FilterNumber,
  type FilterResult,
  type FilterText,
  MAX_NEAR_DISTANCE,
  type NumberSpan,
  type TimeSpan,
} from './library/filter.js';
export { type Completion, completeFilter, type FilterVocabulary } from './library/filter-complete.js';
export { parseFilter } from './library/filter-parse.js';
export { KINDS, type Kind } from './library/kinds.js';
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
} from './library/metadata.js';
export { cleanName, MAX_NAME_LENGTH, type NameParts, nameCandidates, splitName } from './library/names.js';
export {
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
} from './library/paths.js';
export {
  bandProbes,
  groupPairs,
  HASH_BANDS,
  HASH_INPUT_SIDE,
  hashBands,
  hashDistance,
  perceptualHash,
  type SimilarPair,
} from './library/perceptual-hash.js';
export { ASSET_SORTS, type AssetSort, DEFAULT_SORT } from './library/sorts.js';
export { type ImageSources, imageSources, sheetRendition } from './pages/srcset.js';
export type {
  MatrixPageAnswer,
  MatrixRow,
  OptimisePlan,
  RebuildPlan,
  RecipeImpact,
  RenditionStoryAnswer,
} from './recipes/answers.js';
export {
  canBeRendered,
  changesOutput,
  DECODABLE_MIMES,
  DRAWABLE_DOCUMENTS,
  holdsAnimation,
  outputMime,
  recipeApplies,
} from './recipes/applies.js';
export { parseAspect } from './recipes/aspect.js';
export {
  type Canvas,
  type ChainFault,
  type ChainSize,
  type ChainStart,
  chainSize,
  type Operation,
  placeWatermark,
  type Resolved,
  resolveStep,
  startChain,
  type WatermarkBox,
  watermarkBox,
} from './recipes/chain.js';
export { checkContent, checkSteps } from './recipes/check-recipe.js';
export { type Colour, parseColour } from './recipes/colour.js';
export {
  allWatermarks,
  canonicalJson,
  contentText,
  describeChanges,
  explainDifference,
  explainState,
  focalText,
  type RenditionOrigin,
  type RenditionSource,
  type StateReason,
  usesFocal,
} from './recipes/digest.js';
export { estimateRebuild, type RebuildEstimate, type RenditionSample } from './recipes/estimate.js';
export {
  cutOf,
  followSteps,
  type Geometry,
  type Region,
  type Size,
  toWholePixels,
} from './recipes/geometry.js';
export {
  IIIF_FORMATS,
  IIIF_MAX_WIDTH,
  IIIF_QUALITIES,
  type IiifImage,
  type IiifRequest,
  type IiifResult,
  iiifInfo,
  iiifSteps,
  readIiifRequest,
} from './recipes/iiif.js';
export {
  type ComputedLadder,
  computeRungs,
  DEFAULT_MOST_RUNGS,
  DEFAULT_STEP_BYTES,
  type GivenLadder,
  givenRungs,
  type Ladder,
  MAX_RUNGS,
  rungOf,
  variantName,
} from './recipes/ladder.js';
export { type GreyPicture, structuralSimilarity, toGrey } from './recipes/likeness.js';
export { nearestRendition, type Substitute } from './recipes/nearest-rendition.js';
export { pixelate } from './recipes/pixelate.js';
export { type PlanFault, type PlannedRendition, planRenditions, type RenditionPlan } from './recipes/plan.js';
export {
  exportRecipes,
  type ImportStep,
  type PortableRecipe,
  planImport,
  RECIPES_FORMAT,
  type RecipesDocument,
  recipesSchema,
  stepSchema,
} from './recipes/portable.js';
export { type Encoded, qualityOfLikeness, qualityWithin } from './recipes/quality.js';
export {
  ALTERNATIVE_FORMATS,
  type AlternativeFormat,
  MAX_STEPS,
  OUTPUT_FORMATS,
  type OutputFormat,
  RECIPE_NAME,
  RECIPE_TIMES,
  RENDITION_STATES,
  type Recipe,
  type RecipeAnswer,
  type RecipeContent,
  type RecipeOutput,
  type RecipeTime,
  type RenditionState,
} from './recipes/recipe.js';
export { pictureSnippet, type Snippet } from './recipes/snippet.js';
export {
  COLOUR,
  MAX_SIDE_PX,
  STEP_KINDS,
  STEP_OPS,
  type StepField,
  type StepKind,
} from './recipes/step-fields.js';
export {
  CENTRES,
  type FitStep,
  isSourceStep,
  isToneStep,
  type PictureStep,
  PLACES,
  type SourceStep,
  type Step,
  type StepOp,
  splitSource,
  type ToneStep,
  type WatermarkStep,
  watermarkPictures,
} from './recipes/steps.js';
export { applyTone, type ToneMatrix, toneMatrix } from './recipes/tones.js';
export { drawWave, PeakGatherer, type WavePeaks } from './recipes/wave-form.js';
export {
  type CheckAnswer,
  type Destination,
  type FileFacts,
  judgeBatch,
  judgeFile,
} from './rules/evaluate.js';
export {
  type CustomCheck,
  DUPLICATE_RULES,
  type DuplicateRule,
  type Effective,
  type EffectiveRules,
  type FolderRules,
  NO_RULES,
  REQUIRABLE_TEXTS,
  type RequirableText,
  type RuledFolder,
  type RulesAnswer,
  resolveRules,
} from './rules/rules.js';
export { isTypePattern } from './rules/types.js';
export { type BackoffOptions, backoffMs } from './runs/backoff.js';
export { type FailureGroup, failureReason } from './runs/failures.js';
export { currentRate, nextRate, type RateSample, secondsLeft } from './runs/rate.js';
export {
  endedItems,
  finalState,
  ITEM_STATES,
  type ItemState,
  isActive,
  RUN_STATES,
  type Run,
  type RunCounts,
  type RunItem,
  type RunState,
  type ThroughputMinute,
  type WorkerAnswer,
  type WorkersAnswer,
} from './runs/run.js';
export type { FieldError, Problem } from './shared/problem.js';

export type {
  MatrixPageAnswer,
  MatrixRow,
  OptimisePlan,
  RebuildPlan,
  RecipeImpact,
  RenditionStoryAnswer,
} from './answers.js';
export {
  CONVERTED_MIMES,
  canBeRendered,
  changesOutput,
  DECODABLE_MIMES,
  DRAWABLE_DOCUMENTS,
  holdsAnimation,
  outputMime,
  recipeApplies,
} from './applies.js';
export { parseAspect } from './aspect.js';
export {
  type Canvas,
  type ChainFault,
  type ChainSize,
  type ChainStart,
  chainSize,
  type Operation,
  type Resolved,
  resolveStep,
  startChain,
} from './chain.js';
export { checkContent, checkSteps } from './check-recipe.js';
export { type Colour, parseColour } from './colour.js';
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
} from './digest.js';
export { estimateRebuild, type RebuildEstimate, type RenditionSample } from './estimate.js';
export { type RecipeCondition, recipeFilterField } from './filter-field.js';
export {
  cutOf,
  followSteps,
  type Geometry,
  type Region,
  type Size,
  toWholePixels,
} from './geometry.js';
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
} from './iiif.js';
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
} from './ladder.js';
export { type GreyPicture, structuralSimilarity, toGrey } from './likeness.js';
export { nearestRendition, type Substitute } from './nearest-rendition.js';
export { pixelate } from './pixelate.js';
export { type PlanFault, type PlannedRendition, planRenditions, type RenditionPlan } from './plan.js';
export {
  exportRecipes,
  type ImportStep,
  type PortableRecipe,
  planImport,
  RECIPES_FORMAT,
  type RecipesDocument,
  recipesSchema,
  stepSchema,
} from './portable.js';
export { type Encoded, qualityOfLikeness, qualityWithin } from './quality.js';
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
  unmadeState,
} from './recipe.js';
export { pictureSnippet, type Snippet } from './snippet.js';
export {
  COLOUR,
  MAX_SIDE_PX,
  STEP_KINDS,
  STEP_OPS,
  type StepField,
  type StepKind,
} from './step-fields.js';
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
} from './steps.js';
export { applyTone, type ToneMatrix, toneMatrix } from './tones.js';
export { placeWatermark, type WatermarkBox, watermarkBox } from './watermark-box.js';
export { drawWave, PeakGatherer, type WavePeaks } from './wave-form.js';

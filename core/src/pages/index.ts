export { normalizeAddress, resolveAddress, scopeOf, splitAddress, writeLike } from './address.js';
export {
  type AddressFault,
  AddressMap,
  type AddressPair,
  type AddressRules,
  readAddressPairs,
} from './address-map.js';
export { decodeByteText } from './byte-text.js';
export { type DocumentEncoding, detectEncoding } from './encoding.js';
export { findReferences, formatOfFile, type ReadableDocument } from './find-references.js';
export {
  escapeText,
  findGalleries,
  findStableReferences,
  GALLERY_LAYOUTS,
  type Gallery,
  type GalleryLayout,
  type MediaWriter,
  type PictureWithoutAlt,
  picturesWithoutAlt,
  readGallery,
  resolveBody,
  type StableReference,
} from './page-body.js';
export { addressOf, galleryHtml, mediaHtml } from './page-html.js';
export { type MediaChoice, type PickedMedia, pickMedia } from './picked-media.js';
export {
  baseOf,
  DOCUMENT_FORMATS,
  type DocumentFormat,
  type FoundReferences,
  type Reference,
  targetOf,
} from './reference.js';
export {
  applyEdits,
  type DocumentRewrite,
  type Edit,
  invertEdits,
  type KnownReference,
  planEdits,
  planKnownRewrite,
  planRewrite,
} from './rewrite.js';
export { type ShownEdit, showEdits } from './show-edits.js';
export { type MovedStyles, moveStyles, needsCors, siteAssetType } from './site-asset.js';
export type { ReleasePlan, SiteAssetsAnswer, SiteFileAnswer } from './site-asset-answers.js';
export { isWithinSite, type SiteLimits, type SiteLink, siteLink, withoutFragment } from './site-links.js';
export type {
  PageSummary,
  PageTypeAnswer,
  RegionEntry,
  RevisionAnswer,
  SitePageAnswer,
  SlotAnswer,
} from './site-page.js';
export {
  BROKEN_REASONS,
  type BrokenReason,
  type DatabaseSettings,
  type FolderSettings,
  type PageReference,
  type PageSourceAnswer,
  type SiteSettings,
  SOURCE_KINDS,
  type SourceKind,
  type SourceSettings,
  type Use,
} from './source.js';
export { type ImageSources, imageSources, sheetRendition } from './srcset.js';
export { type SrcsetCandidate, srcsetCandidates } from './srcset-candidates.js';
export { type UsedCondition, usedFilterField } from './used-filter.js';

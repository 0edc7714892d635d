export type { AuditMode, AuditReason, CopyAnswer, StoreAnswer } from '@uniferum/core/copies';
export type { Verdict } from '@uniferum/core/intake';
export type {
  Asset,
  BulkChange,
  Folder,
  FolderAccess,
  FolderAccessAnswer,
  FolderAccessChange,
  PublicMetadata,
  Visibility,
} from '@uniferum/core/library';
export type { PickedMedia } from '@uniferum/core/pages';
export type { RecipesDocument } from '@uniferum/core/recipes';
export type { FolderRules } from '@uniferum/core/rules';
export type { Run } from '@uniferum/core/runs';
export type { FieldError, Problem } from '@uniferum/core/shared';
export type { PickerTokenRequest, UploadTokenRequest } from './access.js';
// The calls of single resources, for bundles that need no others.
export { keyCalls, pickerTokenCalls, sessionCalls, uploadTokenCalls } from './access.js';
export type { AssetPlace, PutResult } from './asset-place.js';
export type {
  AssetPatch,
  AssetQuery,
  BulkActionPlan,
  BulkActionRequest,
  Version,
} from './assets.js';
export { assetCalls, binCalls, filterCalls } from './assets.js';
export { connect, createClient, type UniferumClient } from './client.js';
export type { ConnectionPatch, ConnectionToTest, GivenBucketSettings, NewConnection } from './connections.js';
export { connectionCalls } from './connections.js';
export {
  type ConnectionFault,
  isUniferumApiError,
  isUniferumConnectionError,
  UniferumApiError,
  UniferumConnectionError,
} from './errors.js';
export type { EventOptions, LiveEvent } from './events.js';
export { folderCalls } from './folders.js';
export type { CallOptions, ClientOptions, Tagged } from './http.js';
export { inboxCalls, intakeCalls, settingCalls } from './intakes.js';
export type {
  FixRequest,
  NewPageSource,
  PageSourcePatch,
  ReferenceState,
  RewritePlan,
  RewriteRequest,
} from './pages.js';
export { referenceCalls, rewriteCalls, sourceCalls } from './pages.js';
export { PagedList, type Paging } from './paging.js';
export type * from './recipes.js';
export { recipeCalls, renditionCalls } from './recipes.js';
export type { ResumableResult, ResumableUpload } from './resumable.js';
export type { WaitOptions } from './runs.js';
export { runCalls, workerCalls } from './runs.js';
export type { NewSiteAssets } from './site-assets.js';
export { siteAssetCalls } from './site-assets.js';
export type { SaveCall, SitePagePatch } from './site-pages.js';
export { pageTypeCalls, sitePageCalls } from './site-pages.js';
export type { CopyChange, GivenPlacement, LinkAnswer, NewStore } from './stores.js';
export { copyCalls, storeCalls } from './stores.js';
export type * from './types.js';
export type { UploadFile, UploadRequest, UploadResult } from './upload.js';
export type { UploadData } from './upload-data.js';
export type { FileProgress } from './upload-progress.js';

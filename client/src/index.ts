export type {
  Asset,
  BulkChange,
  FieldError,
  FolderRules,
  Problem,
  RecipesDocument,
  Run,
  Verdict,
} from '@uniferum/core';
export {
  type AssetPatch,
  type AssetQuery,
  createClient,
  type Paging,
  type UniferumClient,
  type Version,
  type WaitOptions,
} from './client.js';
export { isUniferumApiError, UniferumApiError, UniferumConnectionError } from './errors.js';
export type { CallOptions, ClientOptions } from './http.js';
export { PagedList } from './paging.js';
export type * from './recipes.js';
export type { ResumableResult, ResumableUpload } from './resumable.js';
export type * from './types.js';
export type { UploadFile, UploadRequest, UploadResult } from './upload.js';

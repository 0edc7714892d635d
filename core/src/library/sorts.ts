/** The sort orders of assets; a leading `-` reverses one. */
export const ASSET_SORTS = [
  'created',
  '-created',
  'name',
  '-name',
  'captured',
  '-captured',
  'size',
  '-size',
] as const;

export type AssetSort = (typeof ASSET_SORTS)[number];

/** Newest first. */
export const DEFAULT_SORT: AssetSort = '-created';

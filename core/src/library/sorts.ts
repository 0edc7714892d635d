/** The orders in which assets can be listed; `-` in front turns one round. */
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

import { type AssetRendition, renditionAddress, versionedAddress } from '@uniferum/core/library';
import Joi from 'joi';
import type { AssetRow } from '../library/asset-queries.js';
import type { AssetField } from '../library/joints.js';
import { groupBy } from '../shared/group.js';
import { fileEnd } from './file-end.js';
import { findRenditions, type RenditionRow } from './queries.js';
import { renditionSchema } from './rendition-schemas.js';

/** The renditions in an asset's answers. */
export function renditionField({ mediaUrl }: { mediaUrl: string }): AssetField<AssetRendition[]> {
  return {
    name: 'renditions',
    schema: Joi.array().items(renditionSchema),
    absent: [],
    async read(db, rows) {
      const renditions = await findRenditions(
        db,
        rows.map(({ id }) => id),
      );
      const byAsset = groupBy(renditions, ({ asset_id }) => asset_id);
      return new Map(
        rows.map((row) => [
          row.id,
          (byAsset.get(row.id) ?? []).map((one) => toRenditionAnswer(row, one, mediaUrl)),
        ]),
      );
    },
  };
}

/** One rendition as it appears in answers. */
export function toRenditionAnswer(
  asset: Pick<AssetRow, 'folder_path' | 'address_stem'>,
  rendition: RenditionRow,
  mediaUrl: string,
): AssetRendition {
  const { recipe, variant, state, mime, width, height, bytes, error, sha256 } = rendition;
  const url = renditionUrl(asset, rendition, mediaUrl);
  return {
    recipe,
    variant: variant === '' ? null : variant,
    state,
    url,
    versionedUrl: url === null || sha256 === null ? null : versionedAddress(url, sha256),
    mime,
    width,
    height,
    bytes,
    error,
  };
}

/** The complete URL of a rendition; null before it is made. */
export function renditionUrl(
  asset: Pick<AssetRow, 'folder_path' | 'address_stem'>,
  rendition: Pick<RenditionRow, 'recipe' | 'variant' | 'mime' | 'sha256'>,
  mediaUrl: string,
): string | null {
  if (rendition.sha256 === null || rendition.mime === null) return null;
  return (
    mediaUrl + renditionAddress(asset.folder_path, asset.address_stem, rendition.recipe, fileEnd(rendition))
  );
}

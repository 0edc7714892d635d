import { type Asset, originalAddress, renditionAddress } from '@uniferum/core';
import { fileEnd } from '../recipes/file-end.js';
import { findRenditions, type RenditionRow } from '../recipes/queries.js';
import { type Executor, isoTime, isoTimeOrNull } from '../shared/database.js';
import { groupBy } from '../shared/group.js';
import { API_BASE } from '../shared/route.js';
import type { AssetRow } from './asset-queries.js';
import { type CopyRow, findCopies } from './blob-queries.js';

/** Turns rows into complete answers, with renditions and copies read for all of them at once. */
export async function toAssetAnswers(
  db: Executor,
  rows: readonly AssetRow[],
  publicUrl: string,
): Promise<Asset[]> {
  const [renditions, copies] = await Promise.all([
    findRenditions(
      db,
      rows.map(({ id }) => id),
    ),
    findCopies(
      db,
      rows.map(({ sha256 }) => sha256),
    ),
  ]);
  const renditionsOf = groupBy(renditions, ({ asset_id }) => asset_id);
  const copiesOf = groupBy(copies, ({ sha256 }) => sha256);
  return rows.map((row) =>
    toAnswer(row, {
      renditions: renditionsOf.get(row.id) ?? [],
      copies: copiesOf.get(row.sha256) ?? [],
      publicUrl,
    }),
  );
}

/** The complete address of a rendition that was made; null before. */
export function renditionUrl(
  asset: Pick<AssetRow, 'folder_path' | 'address_stem'>,
  rendition: Pick<RenditionRow, 'recipe' | 'variant' | 'mime' | 'sha256'>,
  publicUrl: string,
): string | null {
  if (rendition.sha256 === null || rendition.mime === null) return null;
  return (
    publicUrl + renditionAddress(asset.folder_path, asset.address_stem, rendition.recipe, fileEnd(rendition))
  );
}

function toAnswer(
  row: AssetRow,
  { renditions, copies, publicUrl }: { renditions: RenditionRow[]; copies: CopyRow[]; publicUrl: string },
): Asset {
  const url = publicUrl + originalAddress(row.folder_path, row.name);
  return {
    id: String(row.id),
    name: row.name,
    folder: { id: String(row.folder_id), path: row.folder_path },
    kind: row.kind,
    mime: row.mime,
    bytes: row.bytes,
    width: row.width,
    height: row.height,
    orientation: row.orientation,
    duration: row.duration,
    sha256: row.sha256,
    crc32: row.crc32,
    title: row.title,
    alt: row.alt,
    caption: row.caption,
    credit: row.credit,
    keywords: JSON.parse(row.keywords),
    capturedAt: isoTimeOrNull(row.captured_at),
    focal: row.focal_x === null || row.focal_y === null ? null : { x: row.focal_x, y: row.focal_y },
    createdAt: isoTime(row.created_at),
    updatedAt: isoTime(row.updated_at),
    version: row.version,
    url,
    download: `${publicUrl}${API_BASE}/assets/${row.id}/content`,
    placeholder: row.placeholder,
    link: row.link === null ? null : JSON.parse(row.link),
    uses: null,
    renditions: renditions.map((rendition) => ({
      recipe: rendition.recipe,
      variant: rendition.variant === '' ? null : rendition.variant,
      state: rendition.state,
      url: renditionUrl(row, rendition, publicUrl),
      mime: rendition.mime,
      width: rendition.width,
      height: rendition.height,
      bytes: rendition.bytes,
      error: rendition.error,
    })),
    copies: copies.map((copy) => ({ store: copy.store, state: 'kept', key: copy.store_key, url })),
    origin: {
      intake: row.intake_id === null ? null : String(row.intake_id),
      by: row.origin_by,
      via: row.origin_via,
      sentAs: row.sent_as,
    },
    verdict: JSON.parse(row.verdict),
  };
}

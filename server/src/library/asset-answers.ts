import { type Asset, originalAddress, versionedAddress, writeLocalTime } from '@uniferum/core/library';
import { isoTime, isoTimeOrNull } from '../shared/database.js';
import { API_BASE } from '../shared/route.js';
import type { AssetRow } from './asset-queries.js';
import type { LibraryTools } from './tools.js';

/** Converts rows to complete answers; the fields of other rooms are read for all of them at once. */
export async function toAssetAnswers(
  { db, config, joints: { fields } }: Pick<LibraryTools, 'db' | 'config' | 'joints'>,
  rows: readonly AssetRow[],
): Promise<Asset[]> {
  const read = await Promise.all(fields.map((field) => field.read(db, rows)));
  return rows.map((row) => {
    const plugged = fields.map(({ name, absent }, n) => [name, read[n]?.get(row.id) ?? absent]);
    const answer = toAnswer(row, config);
    return { ...answer, ...Object.fromEntries(plugged) };
  });
}

function toAnswer(
  row: AssetRow,
  { publicUrl, mediaUrl }: LibraryTools['config'],
): Omit<Asset, 'renditions' | 'uses' | 'copies'> {
  const url = mediaUrl + originalAddress(row.folder_path, row.name);
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
    capturedLocal:
      row.captured_at && writeLocalTime({ at: isoTime(row.captured_at), offset: row.captured_offset }),
    focal: row.focal_x === null || row.focal_y === null ? null : { x: row.focal_x, y: row.focal_y },
    createdAt: isoTime(row.created_at),
    updatedAt: isoTime(row.updated_at),
    version: row.version,
    url,
    versionedUrl: versionedAddress(url, row.sha256),
    download: `${publicUrl}${API_BASE}/assets/${row.id}/content`,
    placeholder: row.placeholder,
    visibility: row.visibility,
    link: row.link === null ? null : JSON.parse(row.link),
    origin: {
      intake: row.intake_id === null ? null : String(row.intake_id),
      by: row.origin_by,
      via: row.origin_via,
      sentAs: row.sent_as,
    },
    verdict: JSON.parse(row.verdict),
  };
}

import { type Executor, select } from '../shared/database.js';
import type { AssetRow } from './asset-queries.js';

/** The facts by which rules judge a live asset. */
export type PresentRow = Pick<
  AssetRow,
  | 'id'
  | 'name'
  | 'bytes'
  | 'mime'
  | 'sha256'
  | 'width'
  | 'height'
  | 'title'
  | 'alt'
  | 'caption'
  | 'credit'
  | 'keywords'
>;

const PRESENT_ROWS = 5000;

/** Reads the live assets of a folder in order of arrival. */
export async function* readPresent(db: Executor, folderId: string): AsyncGenerator<PresentRow> {
  for (let after = 0; ; ) {
    const rows = await select<PresentRow>(
      db,
      `SELECT id, name, bytes, mime, sha256, width, height, title, alt, caption, credit, keywords
       FROM assets
       WHERE folder_id = ? AND live = 1 AND id > ?
       ORDER BY id
       LIMIT ?`,
      [folderId, after, PRESENT_ROWS],
    );
    yield* rows;
    const last = rows.at(-1);
    if (!last || rows.length < PRESENT_ROWS) return;
    after = last.id;
  }
}

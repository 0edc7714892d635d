import type { Visibility } from '@uniferum/core/library';
import { listPlacements, type StoredPlacement } from '../copies/placement-queries.js';
import { nearestOf } from '../copies/placements.js';
import { findVisibilities } from '../library/access-queries.js';
import type { AssetRow } from '../library/asset-queries.js';
import { isPrivateIn } from '../library/visibility.js';
import type { Executor } from '../shared/database.js';

/** A change of a folder's settings counts for visitors after this time at the latest. */
const REMEMBERED_MS = 1000;

interface Settings {
  visibilities: ReadonlyMap<string, Visibility>;
  placements: readonly StoredPlacement[];
}

/** What folders say about who may read their files, and from where. Every request asks, so it is remembered briefly. */
export class FolderSettings {
  #settings: Promise<Settings> | null = null;
  #readAt = 0;

  /** Tells whether a file is private, and the store its folder is served from. */
  async of(
    db: Executor,
    asset: Pick<AssetRow, 'visibility' | 'folder_path'>,
  ): Promise<{ isPrivate: boolean; serveFrom: number | null }> {
    const { visibilities, placements } = await this.#read(db);
    return {
      isPrivate: isPrivateIn(visibilities, asset),
      serveFrom: nearestOf(placements, asset.folder_path)?.serveFrom ?? null,
    };
  }

  #read(db: Executor): Promise<Settings> {
    const now = performance.now();
    if (this.#settings === null || now - this.#readAt > REMEMBERED_MS) {
      this.#readAt = now;
      this.#settings = readSettings(db).catch((error) => {
        this.#settings = null;
        throw error;
      });
    }
    return this.#settings;
  }
}

async function readSettings(db: Executor): Promise<Settings> {
  const [visibilities, placements] = await Promise.all([findVisibilities(db), listPlacements(db)]);
  return { visibilities, placements };
}

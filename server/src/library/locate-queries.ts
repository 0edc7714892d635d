import { joinPath } from '@uniferum/core/library';
import { type Executor, selectExpanded } from '../shared/database.js';

/** A live asset at an address: of its original by name, or of its renditions by stem. */
export interface AssetPlace {
  folder: string;
  name: string;
}

/** Finds live assets by folder and name, or by folder and stem, with two queries for all of them. @returns ids, by `folder/name` */
export async function findAssetIds(
  db: Executor,
  by: 'name' | 'stem',
  places: readonly AssetPlace[],
): Promise<Map<string, number>> {
  if (places.length === 0) return new Map();
  const folders = await selectExpanded<{ id: number; path: string }>(
    db,
    'SELECT id, path FROM folders WHERE path IN (?)',
    [[...new Set(places.map(({ folder }) => folder))]],
  );
  const idOf = new Map(folders.map(({ id, path }) => [path, id]));
  const wanted = places.flatMap(({ folder, name }) => {
    const id = idOf.get(folder);
    return id === undefined ? [] : [{ id, folder, name }];
  });
  if (wanted.length === 0) return new Map();
  const rows = await selectExpanded<{ id: number; n: number }>(
    db,
    `SELECT assets.id, wanted.n FROM (${wanted.map((_, n) => (n === 0 ? 'SELECT 0 AS n, ? AS folder_id, ? AS name' : `SELECT ${n}, ?, ?`)).join(' UNION ALL ')}) AS wanted
     JOIN assets ON assets.folder_id = wanted.folder_id AND assets.live = 1
       AND assets.${by === 'name' ? 'name' : 'address_stem'} = wanted.name COLLATE utf8mb4_bin`,
    wanted.flatMap(({ id, name }) => [id, name]),
  );
  return new Map(
    rows.flatMap(({ id, n }) => {
      const place = wanted[n];
      return place ? [[joinPath(place.folder, place.name), id] as const] : [];
    }),
  );
}

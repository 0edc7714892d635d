import type { AssetCopies, CopiedFile, PlacedCopy } from '@uniferum/core/copies';
import { type AssetRow, findAssets } from '../library/asset-queries.js';
import { findHomeCopies } from '../library/home-copy-queries.js';
import { findVersionsOf } from '../library/version-queries.js';
import { arePrivate } from '../library/visibility.js';
import { fileEnd } from '../recipes/file-end.js';
import { findRenditions } from '../recipes/queries.js';
import type { Executor } from '../shared/database.js';
import { groupBy } from '../shared/group.js';
import { type CopyRow, findCopiesOf } from './copy-queries.js';
import { describeStores } from './store-facts.js';

/** A file of an asset, with what storing it needs. */
export interface AssetFile extends CopiedFile {
  bytes: number;
  mime: string;
  /** The name that its key ends with. */
  name: string;
  /** The version of an original; null for a rendition. */
  version: number | null;
}

/** The copies of one asset, and what they are copies of. */
export interface ReadCopies extends AssetCopies<AssetFile> {
  row: AssetRow;
  rows: readonly CopyRow[];
}

/**
 * Reads the files and copies of assets. Links have no files of their own.
 *
 * @param home the name of the home store
 */
export async function readCopies(
  db: Executor,
  home: string,
  ids: readonly number[],
  { lock = false } = {},
): Promise<ReadCopies[]> {
  const assets = (await findAssets(db, ids)).filter(({ kind }) => kind !== 'link');
  const known = assets.map(({ id }) => id);
  const copies = groupBy(await findCopiesOf(db, known, { lock }), ({ asset_id }) => asset_id);
  const versions = groupBy(await findVersionsOf(db, known), ({ asset_id }) => asset_id);
  const renditions = groupBy(await findRenditions(db, known), ({ asset_id }) => asset_id);
  const secret = await arePrivate(db, assets);
  const facts = [...(await describeStores(db)).values()];
  const names = new Map(facts.map(({ store }) => [store.id, store.name]));
  const publicStores = new Set(
    facts.filter(({ publicUrl }) => publicUrl !== null).map(({ store }) => store.name),
  );
  const filesOf = (row: AssetRow): AssetFile[] => [
    ...originals(row, versions.get(row.id) ?? []),
    ...(renditions.get(row.id) ?? []).flatMap((one) => {
      const { recipe, variant, sha256, bytes, mime } = one;
      if (sha256 === null || bytes === null || mime === null) return [];
      const name = `${row.address_stem}~${recipe}.${fileEnd(one)}`;
      return [{ recipe, variant, sha256, bytes, mime, name, version: null }];
    }),
  ];
  const files = new Map(assets.map((row) => [row.id, filesOf(row)]));
  const digests = [...new Set([...files.values()].flat().map(({ sha256 }) => sha256))];
  const holds = new Set(
    (await findHomeCopies(db, home, digests, { lock }))
      .filter(({ damaged_at }) => damaged_at === null)
      .map(({ sha256 }) => sha256),
  );
  return assets.map((row) => {
    const rows = copies.get(row.id) ?? [];
    return {
      ...{ row, rows, files: files.get(row.id) ?? [], home: { name: home, holds } },
      copies: rows.map((copy) => toPlaced(copy, names)),
      ...{ isPrivate: secret.has(row.id), publicStores },
    };
  });
}

/** Two versions with the same bytes, one of which restored the other, are one file. */
function originals(
  row: AssetRow,
  versions: readonly { n: number; sha256: string; bytes: number; mime: string }[],
): AssetFile[] {
  const files = new Map<string, AssetFile>();
  for (const { n, sha256, bytes, mime } of [...versions].sort((a, b) => a.n - b.n))
    files.set(sha256, { recipe: null, variant: '', sha256, bytes, mime, name: row.name, version: n });
  return [...files.values()];
}

function toPlaced(row: CopyRow, names: ReadonlyMap<number, string>): PlacedCopy {
  const { id, recipe, variant, sha256, state, store_id } = row;
  return {
    ...{ id, variant, sha256, state },
    recipe: recipe === '' ? null : recipe,
    store: names.get(store_id) ?? String(store_id),
  };
}

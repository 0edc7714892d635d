import { originalAddress, splitName } from '@uniferum/core/library';
import { splitAddress } from '@uniferum/core/pages';
import { findAssets } from '../library/asset-queries.js';
import { findByNames } from '../library/name-queries.js';
import type { Addresses } from '../shared/config.js';
import type { Executor } from '../shared/database.js';
import type { ReferenceRow } from './reference-queries.js';

/** What a broken reference could lead to instead. */
export interface ProposedFix {
  /** The complete address. */
  address: string;
  /** `original`: of the file whose rendition is not made. `same-name`: the only file of that name. */
  by: 'original' | 'same-name';
}

/** Proposes where broken references could lead, with a number of queries that does not depend on how many there are. */
export async function proposeFixes(
  db: Executor,
  { mediaUrl }: Addresses,
  all: readonly ReferenceRow[],
): Promise<Map<number, ProposedFix>> {
  // A page that names an asset is put right where it is written.
  const rows = all.filter(({ is_address }) => is_address === 1);
  const fixes = new Map<number, ProposedFix>();
  const ofRecipes = rows.filter(({ reason, asset_id }) => reason === 'no-recipe' && asset_id !== null);
  const originals = new Map(
    (
      await findAssets(
        db,
        ofRecipes.map(({ asset_id }) => asset_id as number),
      )
    ).map((asset) => [asset.id, asset]),
  );
  for (const { id, asset_id } of ofRecipes) {
    const asset = originals.get(asset_id as number);
    if (asset?.live)
      fixes.set(id, { address: mediaUrl + originalAddress(asset.folder_path, asset.name), by: 'original' });
  }
  const unknown = rows
    .filter(({ reason }) => reason === 'unknown')
    .map((row) => ({ id: row.id, name: nameOf(row.address) }));
  const found = await findByNames(
    db,
    unknown.flatMap(({ name }) => name ?? []),
  );
  for (const { id, name } of unknown) {
    const same = name === null ? [] : found.filter((one) => one.name.toLowerCase() === name);
    const [only] = same;
    if (only && same.length === 1)
      fixes.set(id, { address: mediaUrl + originalAddress(only.folder_path, only.name), by: 'same-name' });
  }
  return fixes;
}

/** The name of the original that an address means, in lower case; null where it has none. */
function nameOf(address: string): string | null {
  const { path } = splitAddress(address);
  try {
    const name = decodeURIComponent(path.slice(path.lastIndexOf('/') + 1)).toLowerCase();
    // The extension of a rendition is not that of its original.
    return name === '' || name.includes('~') || splitName(name).extension === '' ? null : name;
  } catch {
    return null;
  }
}

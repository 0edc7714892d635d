import { originalAddress } from '@uniferum/core/library';
import { findStableReferences } from '@uniferum/core/pages';
import { findAssets } from '../library/asset-queries.js';
import { listRecipes } from '../recipes/recipe-queries.js';
import type { Addresses } from '../shared/config.js';
import type { Executor } from '../shared/database.js';
import type { StoredReference } from './document-queries.js';
import type { PresentDocument } from './opened-source.js';
import type { PageContent } from './site-page.js';

interface Named {
  asset: string;
  recipe: string | null;
  attribute: string;
  offset: number;
}

/** The references of pages that name assets by their ids. */
export async function readAssetReferences(
  db: Executor,
  { mediaUrl }: Pick<Addresses, 'mediaUrl'>,
  content: PageContent,
): Promise<StoredReference[]> {
  const named = listNamed(content);
  if (named.length === 0) return [];
  const rows = new Map(
    (await findAssets(db, [...new Set(named.map(({ asset }) => Number(asset)))])).map((row) => [
      String(row.id),
      row,
    ]),
  );
  const recipes = new Set((await listRecipes(db)).map(({ name }) => name));
  return named.map(({ asset, recipe, attribute, offset }): StoredReference => {
    const row = rows.get(asset);
    const reason = !row
      ? 'unknown'
      : row.live === null
        ? 'in-bin'
        : recipe !== null && !recipes.has(recipe)
          ? 'no-recipe'
          : null;
    return {
      ...{ position: offset, attribute: attribute.slice(0, 60), place: null, recipe, variant: null },
      address: row ? mediaUrl + originalAddress(row.folder_path, row.name) : `asset ${asset}`,
      state: reason === null ? 'found' : 'broken',
      ...{ reason, assetId: row?.id ?? null },
    };
  });
}

function listNamed({ body, slots, regions }: PageContent): Named[] {
  return [
    ...findStableReferences(body),
    ...Object.entries(slots).flatMap(([slot, assets]) =>
      assets.map((asset): Named => ({ asset, recipe: null, attribute: `slot ${slot}`, offset: 0 })),
    ),
    ...Object.entries(regions).flatMap(([region, entries]) =>
      entries.map(
        ({ asset, recipe }): Named => ({ asset, recipe, attribute: `region ${region}`, offset: 0 }),
      ),
    ),
  ];
}

/** A page as a document to be indexed. What is published is a part of it, as long as it is not what is written. */
export async function presentPage(
  db: Executor,
  addresses: Pick<Addresses, 'mediaUrl'>,
  { path, stamp, content, published }: PageToIndex,
): Promise<PresentDocument> {
  const more = await readAssetReferences(db, addresses, content);
  if (published)
    for (const one of await readAssetReferences(db, addresses, published))
      more.push({ ...one, attribute: `${one.attribute} (published)`.slice(0, 60) });
  return {
    ...{ path, stamp, url: null, title: content.title, format: 'html', more, fault: null },
    content: { bytes: Buffer.from(content.body) },
  };
}

export interface PageToIndex {
  path: string;
  stamp: string;
  content: PageContent;
  /** What the site shows, where that is something else. */
  published: PageContent | null;
}

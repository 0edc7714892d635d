import type { Asset } from '@uniferum/core/library';
import {
  addressOf,
  findGalleries,
  findStableReferences,
  type Gallery,
  galleryHtml,
  mediaHtml,
  resolveBody,
} from '@uniferum/core/pages';
import { findPageAddresses } from '../copies/page-addresses.js';
import { toAssetAnswers } from '../library/asset-answers.js';
import { findAssets } from '../library/asset-queries.js';
import { findIds, resolveSearch } from '../library/find-pages.js';
import { type Joints, placeKey } from '../library/joints.js';
import { UniferumError } from '../shared/errors.js';
import type { Services } from '../shared/services.js';
import type { PageContent, RegionEntry } from './site-page.js';

export type PageTools = Services & { joints: Joints };

/** A page as a site shows it. */
export interface ResolvedPage {
  html: string;
  slots: Record<string, Asset[]>;
  regions: Record<string, (Omit<RegionEntry, 'asset'> & { asset: Asset })[]>;
}

/** A gallery of a filter shows no more. */
const MAX_IN_GALLERY = 200;

/**
 * Turns what names assets into what shows them. Assets that are gone, or in the bin, are left out.
 *
 * @param options.isForVisitors the HTML leads straight to stores where placements say so; the console shows no pictures
 *   of other servers
 */
export async function resolvePage(
  tools: PageTools,
  content: PageContent,
  { isForVisitors = false }: { isForVisitors?: boolean } = {},
): Promise<ResolvedPage> {
  const { body, slots, regions } = content;
  const found = await searchGalleries(tools, body);
  const assets = await readAssets(tools, [
    ...findStableReferences(body).map(({ asset }) => asset),
    ...Object.values(slots).flat(),
    ...Object.values(regions).flatMap((entries) => entries.map(({ asset }) => asset)),
    ...[...found.values()].flat(),
  ]);
  const present = (ids: readonly string[]) => ids.flatMap((id) => assets.get(id) ?? []);
  const shown = isForVisitors ? await withStoreAddresses(tools, assets) : assets;
  const html = resolveBody(body, {
    media: ({ asset, recipe, alt }) => {
      const one = shown.get(asset);
      return one ? mediaHtml(one, recipe, alt) : null;
    },
    address: ({ asset, recipe }) => {
      const one = shown.get(asset);
      return one ? addressOf(one, recipe) : null;
    },
    gallery: (gallery) =>
      galleryHtml(
        gallery,
        (gallery.assets ?? found.get(keyOf(gallery)) ?? []).flatMap((id) => shown.get(id) ?? []),
      ),
  });
  return {
    html,
    slots: Object.fromEntries(Object.entries(slots).map(([slot, ids]) => [slot, present(ids)])),
    regions: Object.fromEntries(
      Object.entries(regions).map(([region, entries]) => [
        region,
        entries.flatMap((entry) => {
          const asset = assets.get(entry.asset);
          return asset ? [{ ...entry, asset }] : [];
        }),
      ]),
    ),
  };
}

/** Reads live assets by their ids. */
export async function readAssets(
  tools: PageTools,
  ids: readonly string[],
): Promise<ReadonlyMap<string, Asset>> {
  const rows = await findAssets(tools.db, [...new Set(ids)].map(Number));
  const answers = await toAssetAnswers(
    tools,
    rows.filter(({ live }) => live !== null),
  );
  return new Map(answers.map((asset) => [asset.id, asset]));
}

/** Assets with the addresses that visitors are given: in a store, where a placement says so. */
async function withStoreAddresses(
  { db }: PageTools,
  assets: ReadonlyMap<string, Asset>,
): Promise<ReadonlyMap<string, Asset>> {
  const addresses = await findPageAddresses(db, await findAssets(db, [...assets.keys()].map(Number)));
  if (addresses.size === 0) return assets;
  const urlOf = (id: string, recipe: string, variant: string) =>
    addresses.get(placeKey({ asset: Number(id), recipe, variant }))?.url;
  return new Map(
    [...assets].map(([id, asset]) => [
      id,
      {
        ...asset,
        url: urlOf(id, '', '') ?? asset.url,
        renditions: asset.renditions.map((one) => ({
          ...one,
          url: urlOf(id, one.recipe, one.variant ?? '') ?? one.url,
        })),
      },
    ]),
  );
}

/** The ids of what galleries with a filter show now. */
async function searchGalleries(tools: PageTools, body: string): Promise<Map<string, string[]>> {
  const found = new Map<string, string[]>();
  for (const gallery of findGalleries(body)) {
    if (gallery.assets !== null || found.has(keyOf(gallery))) continue;
    found.set(keyOf(gallery), await searchGallery(tools, gallery));
  }
  return found;
}

async function searchGallery(tools: PageTools, { filter, folder }: Gallery): Promise<string[]> {
  try {
    const search = await resolveSearch(tools, { q: filter ?? '', folder: folder ?? '/', deep: true });
    const ids: string[] = [];
    for await (const some of findIds(tools.db, search)) {
      ids.push(...some.map(String));
      if (ids.length >= MAX_IN_GALLERY) break;
    }
    return ids.slice(0, MAX_IN_GALLERY);
  } catch (error) {
    // A filter that can't be read, or a folder that is gone: the rest of the page is shown.
    if (error instanceof UniferumError && error.status < 500) return [];
    throw error;
  }
}

function keyOf({ folder, filter }: Gallery): string {
  return JSON.stringify([folder, filter]);
}

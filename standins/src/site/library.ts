import type { UniferumClient } from '@uniferum/client';
import type { Asset } from '@uniferum/core/library';

/** What a page of the site shows of a folder. */
export interface Shown {
  pictures: Asset[];
  plans: Asset[];
  others: Asset[];
}

/** Reads a folder from Uniferum; a missing folder counts as empty. */
export async function readFolder(
  uniferum: UniferumClient,
  path: string,
  { deep = false } = {},
): Promise<Shown> {
  const assets: Asset[] = [];
  for await (const asset of uniferum.assets.list({ folder: path, deep, sort: 'captured', limit: 200 }))
    assets.push(asset);
  return {
    pictures: assets.filter(({ kind }) => kind === 'image'),
    plans: assets.filter(({ kind }) => kind === 'vector'),
    others: assets.filter(({ kind }) => kind !== 'image' && kind !== 'vector'),
  };
}

/** Lists the folders of the lights that have something in them. */
export async function listLights(uniferum: UniferumClient): Promise<{ slug: string; name: string }[]> {
  const lights: { slug: string; name: string }[] = [];
  for await (const { path, items } of uniferum.folders.list({ within: '/lights' })) {
    const slug = /^\/lights\/([^/]+)$/.exec(path)?.[1];
    if (slug !== undefined && items > 0) lights.push({ slug, name: titleOf(slug) });
  }
  return lights;
}

/** `gannet-head` is Gannet Head. */
export function titleOf(slug: string): string {
  const words = slug
    .split('-')
    .map((word) => (word === 'of' ? word : word.slice(0, 1).toUpperCase() + word.slice(1)));
  return words.join(' ');
}

import {
  extensionOfMime,
  joinPath,
  type MediaAddress,
  originalAddress,
  parentPath,
  parseMediaAddress,
  pathChain,
  renditionAddress,
} from '@uniferum/core';
import type { Request, Response } from 'express';
import Joi from 'joi';
import type { App } from '../app.js';
import { fileEnd } from '../recipes/file-end.js';
import { makeNow, makeSoon } from '../recipes/make-now.js';
import { findRendition, type RenditionRow } from '../recipes/queries.js';
import { findRecipe } from '../recipes/recipe-queries.js';
import { substituteOf } from '../recipes/surplus.js';
import { notFound } from '../shared/errors.js';
import { type Answer, type Route, route } from '../shared/route.js';
import { type AssetRow, findAsset, findAssetByName, findAssetIdByStem } from './asset-queries.js';
import { sendContent } from './content.js';
import { findFolder, findForward } from './folder-queries.js';

/** Short, because the bytes at an address change with a new version; the entity tag makes asking again cheap. */
const CACHE_CONTROL = 'public, max-age=60, stale-while-revalidate=600';

/** How many moves and renames of folders are followed in a row. */
const MAX_FOLDER_FORWARDS = 8;

export const mediaRoutes: Route[] = [
  route<{ path: string[] }>({
    method: 'get',
    path: '/media/{path*}',
    access: 'public',
    summary: 'The bytes at an address: an original or a rendition; old addresses forward',
    params: Joi.object({ path: Joi.array().items(Joi.string()).required() }),
    answers: {
      200: { description: 'The bytes', contentType: '*/*' },
      206: { description: 'A part of the bytes', contentType: '*/*' },
      302: { description: 'The rendition is not made yet; the original is shown meanwhile' },
      304: { description: 'Unchanged' },
      308: { description: 'An old address: this is the new one' },
    },
    async handle({ app, params, req, res }) {
      const path = `/${params.path.join('/')}`;
      const address = parseMediaAddress(path);
      if (address === null) throw notFound(`The address /media${path}`);
      return (
        (await answerLive(app, address, req, res)) ?? (await answerForward(app, address)) ?? refuse(path)
      );
    },
  }),
];

function refuse(path: string): never {
  throw notFound(`The address /media${path}`);
}

async function answerLive(
  app: App,
  address: MediaAddress,
  req: Request,
  res: Response,
): Promise<Answer | null> {
  if (address.kind === 'original') {
    const asset = await findAssetByName(app.db, address.folder, address.name);
    return asset && sendOriginal(app, asset, req, res);
  }
  const id = await findAssetIdByStem(app.db, address.folder, address.stem);
  const asset = id === null ? null : await findAsset(app.db, id);
  return asset && answerRendition(app, asset, address, req, res);
}

function sendOriginal(app: App, asset: AssetRow, req: Request, res: Response): Promise<Answer> {
  const { sha256, bytes, mime, name, updated_at } = asset;
  return sendContent(req, res, app.store, {
    sha256,
    bytes,
    mime,
    name,
    modifiedAt: updated_at,
    asAttachment: false,
    cacheControl: CACHE_CONTROL,
  });
}

async function answerRendition(
  app: App,
  asset: AssetRow,
  address: MediaAddress & { kind: 'rendition' },
  req: Request,
  res: Response,
): Promise<Answer | null> {
  const variant = address.variant ?? '';
  const found = await findRendition(app.db, asset.id, address.recipe, variant);
  const rendition = found?.sha256 ? found : await getRendition(app, asset, address.recipe, variant, found);
  if (rendition === null) return answerSubstitute(app, asset, address.recipe, variant);
  const { sha256, bytes, mime, state } = rendition;
  if (sha256 === null || bytes === null || mime === null) return showOriginal(app, asset);
  const extension = extensionOfMime(mime) ?? 'bin';
  if (variant === '' && extension !== address.extension)
    return forwardTo(app, renditionAddress(asset.folder_path, asset.address_stem, address.recipe, extension));
  app.requests.add(asset.id, address.recipe, variant);
  // It is shown as it is, and the one that is looked at is made again before all others.
  if (state === 'outdated') makeSoon(app, asset);
  const name = `${asset.address_stem}~${address.recipe}.${variant === '' ? extension : variant}`;
  return sendContent(req, res, app.store, {
    sha256,
    bytes,
    mime,
    name,
    modifiedAt: asset.updated_at,
    asAttachment: false,
    cacheControl: CACHE_CONTROL,
  });
}

/** Gets a rendition that is not there yet: made now where its recipe says so, else soon. Null when nobody knows of it. */
async function getRendition(
  app: App,
  asset: AssetRow,
  recipeName: string,
  variant: string,
  found: RenditionRow | null,
): Promise<RenditionRow | null> {
  const main = variant === '' ? found : await findRendition(app.db, asset.id, recipeName);
  if (main === null || main.sha256 !== null) return found;
  if (main.state === 'failed') return main;
  const recipe = await findRecipe(app.db, recipeName);
  if (recipe?.when === 'background') makeSoon(app, asset);
  else await makeNow(app, asset, [recipeName]);
  return (await findRendition(app.db, asset.id, recipeName, variant)) ?? main;
}

/** Not made yet, or can't be made: the page shows the original rather than a broken picture. */
function showOriginal(app: App, asset: AssetRow): Answer {
  return {
    status: 302,
    headers: {
      Location: app.config.publicUrl + originalAddress(asset.folder_path, asset.name),
      'Cache-Control': 'no-store',
    },
  };
}

/** An address that was given up leads to what is nearest to it. */
async function answerSubstitute(
  app: App,
  asset: AssetRow,
  recipe: string,
  variant: string,
): Promise<Answer | null> {
  const { isKnown, instead } = await substituteOf(app.db, asset.id, recipe, variant);
  if (!isKnown) return null;
  app.requests.add(asset.id, recipe, variant);
  if (instead === null) return forwardTo(app, originalAddress(asset.folder_path, asset.name));
  return forwardTo(
    app,
    renditionAddress(asset.folder_path, asset.address_stem, instead.recipe, fileEnd(instead)),
  );
}

async function answerForward(app: App, address: MediaAddress): Promise<Answer | null> {
  let folder = address.folder;
  for (let hops = 0; hops < MAX_FOLDER_FORWARDS; hops += 1) {
    const moved: MediaAddress = { ...address, folder };
    const target = await currentAddress(app, moved, hops > 0);
    if (target !== null) return forwardTo(app, target);
    const next = await movedFolder(app, folder);
    if (next === null || next === folder) return null;
    folder = next;
  }
  return null;
}

/** Where a thing that was at an address is now; null when nothing is known of it. */
async function currentAddress(app: App, address: MediaAddress, mayBeLive: boolean): Promise<string | null> {
  const key = joinPath(address.folder, address.kind === 'original' ? address.name : `${address.stem}~`);
  const forward = await findForward(app.db, key);
  const id = forward?.assetId ?? (mayBeLive ? await findLiveId(app, address) : null);
  const asset = id === null ? null : await findAsset(app.db, id);
  if (asset === null || asset.live === null) return null;
  if (address.kind === 'original') return originalAddress(asset.folder_path, asset.name);
  if (address.variant !== null)
    return renditionAddress(asset.folder_path, asset.address_stem, address.recipe, address.variant);
  const mime = (await findRendition(app.db, asset.id, address.recipe))?.mime;
  const extension = (mime && extensionOfMime(mime)) || address.extension;
  return renditionAddress(asset.folder_path, asset.address_stem, address.recipe, extension);
}

async function findLiveId(app: App, address: MediaAddress): Promise<string | null> {
  if (address.kind === 'rendition') return findAssetIdByStem(app.db, address.folder, address.stem);
  const asset = await findAssetByName(app.db, address.folder, address.name);
  return asset && String(asset.id);
}

/** Follows the nearest folder on the path that was moved or renamed. */
async function movedFolder(app: App, path: string): Promise<string | null> {
  for (const step of pathChain(path).reverse()) {
    if (parentPath(step) === null) return null;
    const forward = await findForward(app.db, `${step}/`);
    const folder = forward?.folderId ? await findFolder(app.db, forward.folderId) : null;
    if (folder) return folder.path + path.slice(step.length);
  }
  return null;
}

function forwardTo(app: App, address: string): Answer {
  return {
    status: 308,
    headers: { Location: app.config.publicUrl + address, 'Cache-Control': 'public, max-age=60' },
  };
}

import { setTimeout as delay } from 'node:timers/promises';
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
import { findRecipe, findRendition, type RenditionRow } from '../recipes/queries.js';
import { notFound } from '../shared/errors.js';
import { type Answer, type Route, route } from '../shared/route.js';
import { type AssetRow, findAsset, findAssetByName, findAssetIdByStem } from './asset-queries.js';
import { sendContent } from './content.js';
import { findFolder, findForward } from './folder-queries.js';

/** Short, because the bytes at an address change with a new version; the entity tag makes asking again cheap. */
const CACHE_CONTROL = 'public, max-age=60, stale-while-revalidate=600';

/** How long somebody who wants to see a rendition "at once" waits for the worker. */
const AT_ONCE_WAIT_MS = 8000;
const AT_ONCE_POLL_MS = 60;

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
  let rendition = await findRendition(app.db, asset.id, address.recipe);
  if (rendition === null) return null;
  if (rendition.sha256 === null) rendition = await awaitRendition(app, rendition);
  const { sha256, bytes, mime } = rendition;
  if (sha256 === null || bytes === null || mime === null) {
    // Not made yet, or can't be made: the page shows the original rather than a broken picture.
    return {
      status: 302,
      headers: {
        Location: app.config.publicUrl + originalAddress(asset.folder_path, asset.name),
        'Cache-Control': 'no-store',
      },
    };
  }
  const extension = extensionOfMime(mime) ?? 'bin';
  if (extension !== address.extension)
    return forwardTo(app, renditionAddress(asset.folder_path, asset.address_stem, address.recipe, extension));
  const name = `${asset.address_stem}~${address.recipe}.${extension}`;
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

/** Waits for a worker when the recipe is made "at once", because somebody is waiting to see the result. */
async function awaitRendition(app: App, rendition: RenditionRow): Promise<RenditionRow> {
  const recipe = await findRecipe(app.db, rendition.recipe);
  let current = rendition;
  const until = Date.now() + AT_ONCE_WAIT_MS;
  while (recipe?.when === 'at-once' && current.state === 'due' && Date.now() < until) {
    await delay(AT_ONCE_POLL_MS);
    current = (await findRendition(app.db, rendition.asset_id, rendition.recipe)) ?? current;
  }
  return current;
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

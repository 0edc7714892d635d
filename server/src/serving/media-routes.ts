import { extensionOfMime } from '@uniferum/core/intake';
import {
  type MediaAddress,
  originalAddress,
  parseMediaAddress,
  renditionAddress,
} from '@uniferum/core/library';
import { recipeApplies } from '@uniferum/core/recipes';
import Joi from 'joi';
import { type AssetRow, findAsset, findAssetByName, findAssetIdByStem } from '../library/asset-queries.js';
import { mayReadPrivate } from '../library/visibility.js';
import { wantRendition } from '../recipes/bookkeeping.js';
import { fileEnd } from '../recipes/file-end.js';
import { makeNow, makeSoon } from '../recipes/make-now.js';
import { findRendition, type StoredRendition } from '../recipes/queries.js';
import { findRecipe } from '../recipes/recipe-queries.js';
import { substituteOf } from '../recipes/surplus.js';
import { waitingFor } from '../recipes/waiting.js';
import type { Answer } from '../shared/answer.js';
import { notFound } from '../shared/errors.js';
import { type Route, route } from '../shared/route.js';
import { sendContent } from '../stores/send-content.js';
import { type Asking, admit, cacheControl, forwardTo, leadElsewhere, type Way } from './admit.js';
import { isLinked } from './links.js';
import { findOldAddress } from './old-addresses.js';
import type { ServingTools, ToolsFor } from './tools.js';

export function mediaRoutes(toolsFor: ToolsFor): Route[] {
  return [
    route<{ path: string[] }>({
      method: 'get',
      path: '/media/{path*}',
      access: 'anyone',
      // A page shows many pictures at once, and a proxy stands for many people.
      atOnce: 500,
      summary: 'Get an original or a rendition; old addresses redirect',
      params: Joi.object({ path: Joi.array().items(Joi.string()).required() }),
      query: Joi.object({
        v: Joi.any().description(
          'the beginning of the digest of these bytes: then they may be cached for ever',
        ),
        link: Joi.any().description('the token of a link that expires'),
      }).unknown(),
      answers: {
        200: { description: 'The bytes', contentType: '*/*' },
        206: { description: 'A part of the bytes', contentType: '*/*' },
        302: {
          description:
            'The rendition is not made yet, and the original is shown meanwhile; or the bytes are in a store',
        },
        304: { description: 'Unchanged' },
        308: { description: 'An old address: this is the new one' },
      },
      async handle({ services, who, params, req, res }) {
        const path = `/${params.path.join('/')}`;
        const address = parseMediaAddress(path);
        if (address === null) throw notFound(`The address /media${path}`);
        return (
          (await answerLive(toolsFor(services), address, { who, req, res })) ??
          (await answerForward(toolsFor(services), address, { who, req, res })) ??
          refuse(path)
        );
      },
    }),
  ];
}

function refuse(path: string): never {
  throw notFound(`The address /media${path}`);
}

async function answerLive(
  tools: ServingTools,
  address: MediaAddress,
  asking: Asking,
): Promise<Answer | null> {
  if (address.kind === 'original') {
    const asset = await findAssetByName(tools.db, address.folder, address.name);
    return asset && sendOriginal(tools, asset, asking);
  }
  const id = await findAssetIdByStem(tools.db, address.folder, address.stem);
  const asset = id === null ? null : await findAsset(tools.db, id);
  return asset && answerRendition(tools, asset, address, asking);
}

async function sendOriginal(tools: ServingTools, asset: AssetRow, asking: Asking): Promise<Answer> {
  const { sha256, mime, name, updated_at } = asset;
  const access = await admit(tools, asset, { recipe: '', variant: '', bytes: asset.bytes }, asking);
  const { bytes, pieces, form } = await tools.originals.open(asset);
  const file = { recipe: '', variant: '', sha256, name };
  const elsewhere = form === null ? await leadElsewhere(tools, asset, file, { access, asking }) : null;
  if (elsewhere) return elsewhere;
  const { req, res } = asking;
  return sendContent(req, res, tools.store, {
    sha256,
    bytes,
    pieces,
    form,
    mime,
    name,
    modifiedAt: form === null ? updated_at : null,
    asAttachment: false,
    cacheControl: cacheControl(req, access, form === null ? sha256 : `${sha256}.${form}`),
  });
}

async function answerRendition(
  tools: ServingTools,
  asset: AssetRow,
  address: MediaAddress & { kind: 'rendition' },
  asking: Asking,
): Promise<Answer | null> {
  const { req, res } = asking;
  const variant = address.variant ?? '';
  const found = await findRendition(tools.db, asset.id, address.recipe, variant);
  const asked = { recipe: address.recipe, variant, bytes: found?.bytes ?? asset.bytes };
  const access = await admit(tools, asset, asked, asking);
  const rendition = found?.sha256
    ? found
    : await getRendition(tools, asset, { recipeName: address.recipe, variant, found }, asking);
  if (rendition === 'not-made') return showOriginal(tools, asset);
  if (rendition === null)
    return answerSubstitute(tools, asset, { recipe: address.recipe, variant }, { access, asking });
  const { sha256, bytes, mime, state, made_at } = rendition;
  if (sha256 === null || bytes === null || mime === null) return showOriginal(tools, asset);
  const extension = extensionOfMime(mime) ?? 'bin';
  if (variant === '' && extension !== address.extension)
    return forwardTo(
      tools,
      renditionAddress(asset.folder_path, asset.address_stem, address.recipe, extension),
      { access, asking },
    );
  tools.rendering.requests.add(asset.id, address.recipe, variant);
  const name = `${asset.address_stem}~${address.recipe}.${variant === '' ? extension : variant}`;
  const file = { recipe: address.recipe, variant, sha256, name };
  // The current file is served as is, and the requested rendition is remade before all others.
  if (state === 'outdated') makeSoon(tools, asset);
  const elsewhere = await leadElsewhere(tools, asset, file, { access, asking });
  if (elsewhere) return elsewhere;
  return sendContent(req, res, tools.store, {
    sha256,
    bytes,
    mime,
    name,
    modifiedAt: made_at,
    asAttachment: false,
    cacheControl: cacheControl(req, access, sha256),
  });
}

/**
 * Gets a rendition that does not exist yet: rendered now if its recipe says so, queued otherwise. Null when it is
 * unknown.
 */
async function getRendition(
  tools: ServingTools,
  asset: AssetRow,
  { recipeName, variant, found }: { recipeName: string; variant: string; found: StoredRendition | null },
  { who, req, res }: Asking,
): Promise<StoredRendition | 'not-made' | null> {
  const main = variant === '' ? found : await findRendition(tools.db, asset.id, recipeName);
  if (main?.sha256) return found;
  if (main?.state === 'failed') return main;
  const recipe = await findRecipe(tools.db, recipeName);
  // A recipe that is still being applied to a large library has not reached this asset yet.
  if (main === null && !(recipe && recipeApplies(recipe, { ...asset, folder: asset.folder_path })))
    return null;
  if (main === null) await wantRendition(tools.db, asset, recipeName);
  if (recipe?.when === 'background') makeSoon(tools, asset);
  else await makeNow(tools, asset, [recipeName], waitingFor(tools, who, req, res));
  return (await findRendition(tools.db, asset.id, recipeName, variant)) ?? 'not-made';
}

/** Not rendered yet, or failed: the page shows the original instead of a broken picture. */
function showOriginal(tools: ServingTools, asset: AssetRow): Answer {
  return {
    status: 302,
    headers: {
      Location: tools.config.mediaUrl + originalAddress(asset.folder_path, asset.name),
      'Cache-Control': 'no-store',
    },
  };
}

/** A retired URL redirects to the nearest equivalent. */
async function answerSubstitute(
  tools: ServingTools,
  asset: AssetRow,
  { recipe, variant }: { recipe: string; variant: string },
  way: Way,
): Promise<Answer | null> {
  const { isKnown, instead } = await substituteOf(tools.db, asset.id, recipe, variant);
  if (!isKnown) return null;
  tools.rendering.requests.add(asset.id, recipe, variant);
  if (instead === null) return forwardTo(tools, originalAddress(asset.folder_path, asset.name), way);
  return forwardTo(
    tools,
    renditionAddress(asset.folder_path, asset.address_stem, instead.recipe, fileEnd(instead)),
    way,
  );
}

/** A private file has no old address either, for those who may not read it: the new one would say its name. */
async function answerForward(
  tools: ServingTools,
  address: MediaAddress,
  asking: Asking,
): Promise<Answer | null> {
  const asset = await findOldAddress(tools.db, address);
  if (asset === null) return null;
  const access = await tools.settings.of(tools.db, asset);
  const { who, req } = asking;
  if (access.isPrivate && !mayReadPrivate(who) && !(await isLinked(tools.db, req, asset))) return null;
  return forwardTo(tools, await currentAddress(tools, asset, address), { access, asking });
}

/** The current URL of what used to be at this one. */
async function currentAddress(tools: ServingTools, asset: AssetRow, address: MediaAddress): Promise<string> {
  if (address.kind === 'original') return originalAddress(asset.folder_path, asset.name);
  if (address.variant !== null)
    return renditionAddress(asset.folder_path, asset.address_stem, address.recipe, address.variant);
  const mime = (await findRendition(tools.db, asset.id, address.recipe))?.mime;
  const extension = (mime && extensionOfMime(mime)) || address.extension;
  return renditionAddress(asset.folder_path, asset.address_stem, address.recipe, extension);
}

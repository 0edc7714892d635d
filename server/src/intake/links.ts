import { Readable } from 'node:stream';
import { type AssetTexts, cleanName, type LinkFacts } from '@uniferum/core';
import { Parser } from 'htmlparser2';
import Joi from 'joi';
import sharp from 'sharp';
import type { App } from '../app.js';
import { recordBlobs } from '../library/blobs.js';
import { keepPreview } from '../recipes/bookkeeping.js';
import { inTransaction } from '../shared/database.js';
import { FetchFailure, fetchAddress } from '../shared/outgoing.js';
import type { StagedBytes } from '../stores/byte-store.js';
import type { IntakeContext, TakenIn } from './incoming.js';
import { receiveStaged, refuseFile, takeIn } from './take-in.js';

const MAX_PAGE_BYTES = 1_000_000;
const MAX_PREVIEW_BYTES = 10_000_000;
const PREVIEW_PX = 1200;
const MAX_FETCH_MS = 20_000;

const pixels = Joi.number().integer().min(1).max(20_000).allow(null);

/** What a provider answers. Source: oEmbed 1.0, section 2.3.4. */
const oembedSchema = Joi.object({
  type: Joi.string().valid('photo', 'video', 'link', 'rich').required(),
  version: Joi.any(),
  title: Joi.string().max(500).allow('', null),
  author_name: Joi.string().max(300).allow('', null),
  provider_name: Joi.string().max(300).allow('', null),
  html: Joi.string().max(20_000).allow('', null),
  url: Joi.string().max(2000).allow('', null),
  width: pixels,
  height: pixels,
  thumbnail_url: Joi.string().max(2000).allow('', null),
})
  .unknown()
  .options({ convert: true });

interface Oembed {
  type: LinkFacts['type'];
  title?: string | null;
  author_name?: string | null;
  provider_name?: string | null;
  html?: string | null;
  url?: string | null;
  width?: number | null;
  height?: number | null;
  thumbnail_url?: string | null;
}

/**
 * Takes in a film or a post that is kept elsewhere: its page names its provider's description (oEmbed 1.0, section 4),
 * which becomes the asset's bytes; the preview is kept here, so that no page of the site asks the provider for it.
 */
export async function takeLinkIn(
  app: App,
  intake: IntakeContext,
  { address, folder, texts }: { address: string; folder: string; texts: Partial<AssetTexts> },
): Promise<TakenIn> {
  try {
    const description = await describeLink(app, address);
    const preview = await fetchPreview(
      app,
      description.thumbnail_url ?? (description.type === 'photo' ? description.url : null),
    );
    try {
      const link = toFacts(address, description);
      const body = Buffer.from(`${JSON.stringify({ ...description, address }, null, 2)}\n`);
      const staged = await app.store.stage(Readable.from([body]), { limitBytes: MAX_PAGE_BYTES });
      const title = texts.title ?? (description.title || null);
      const file = {
        name: `${cleanName(title ?? new URL(address).host).slice(0, 120)}.link`,
        folder,
        texts: { ...texts, title, credit: texts.credit ?? description.author_name ?? null },
        link,
      };
      const [taken] = await takeIn(app, intake, [await receiveStaged(app, file, staged)]);
      if (!taken) throw new Error('Expected a verdict of the link, got none');
      if (taken.assetId !== null && preview) await recordPreview(app, taken.assetId, preview);
      return taken;
    } finally {
      await preview?.staged.discard();
    }
  } catch (error) {
    if (!(error instanceof FetchFailure)) throw error;
    const verdict = await refuseFile(app, intake, address, {
      code: 'address-failed',
      message: `${address} can't be linked: ${error.message}.`,
    });
    return { verdict, assetId: null, sha256: null };
  }
}

function toFacts(address: string, oembed: Oembed): LinkFacts {
  return {
    address,
    type: oembed.type,
    provider: oembed.provider_name || null,
    author: oembed.author_name || null,
    html: oembed.html || null,
    width: oembed.width ?? null,
    height: oembed.height ?? null,
  };
}

async function describeLink(app: App, address: string): Promise<Oembed> {
  const page = await fetchText(app, address);
  const found =
    page.mime === 'application/json' || page.mime === 'application/json+oembed'
      ? page
      : await follow(app, page);
  let parsed: unknown;
  try {
    parsed = JSON.parse(found.text);
  } catch {
    throw new FetchFailure('the description that its page names is no JSON');
  }
  const { value, error } = oembedSchema.validate(parsed);
  if (error) throw new FetchFailure(`the description that its page names is not oEmbed: ${error.message}`);
  return value as Oembed;
}

async function follow(app: App, page: { url: string; text: string }) {
  const href = findDiscovery(page.text);
  if (href === null)
    throw new FetchFailure('its page names no description (oEmbed), so nothing is known of what it shows');
  if (!URL.canParse(href, page.url))
    throw new FetchFailure(`the description that its page names, "${href}", is at no address`);
  return fetchText(app, new URL(href, page.url).href);
}

/** Finds the address of the description in a page's head. Source: oEmbed 1.0, section 4. */
export function findDiscovery(html: string): string | null {
  let found: string | null = null;
  const parser = new Parser({
    onopentag(name, attributes) {
      const isAlternate = (attributes.rel ?? '').toLowerCase().split(/\s+/).includes('alternate');
      if (name === 'link' && isAlternate && attributes.type?.toLowerCase() === 'application/json+oembed')
        found ??= attributes.href ?? null;
    },
  });
  parser.end(html);
  return found;
}

async function fetchText(
  app: App,
  address: string,
): Promise<{ url: string; mime: string | null; text: string }> {
  // The head of a page comes first: what lies beyond isn't needed.
  const { url, mime, bytes } = await fetchStart(app, address, MAX_PAGE_BYTES);
  return { url, mime, text: bytes.toString('utf8') };
}

/** Fetches an address up to a number of bytes; `isWhole` is false when there is more. @throws FetchFailure */
async function fetchStart(app: App, address: string, maxBytes: number) {
  try {
    const { url, mime, body } = await fetchAddress(app.config, address, {
      signal: AbortSignal.timeout(MAX_FETCH_MS),
    });
    const parts: Buffer[] = [];
    let total = 0;
    for await (const part of body) {
      total += (part as Buffer).length;
      if (total > maxBytes) break;
      parts.push(part as Buffer);
    }
    return { url, mime, bytes: Buffer.concat(parts), isWhole: total <= maxBytes };
  } catch (error) {
    if (error instanceof FetchFailure) throw error;
    throw new FetchFailure('its answer broke off or took too long', { cause: error });
  }
}

interface Preview {
  staged: StagedBytes;
  width: number;
  height: number;
}

/** A preview that can't be had is no reason to refuse the link. */
async function fetchPreview(app: App, address: string | null | undefined): Promise<Preview | null> {
  if (!address) return null;
  try {
    const { bytes, isWhole } = await fetchStart(app, address, MAX_PREVIEW_BYTES);
    if (!isWhole) throw new FetchFailure('it is too large for a preview');
    const { data, info } = await sharp(bytes, { limitInputPixels: 50_000_000 })
      .resize(PREVIEW_PX, PREVIEW_PX, { fit: 'inside', withoutEnlargement: true })
      .webp({ quality: 80 })
      .toBuffer({ resolveWithObject: true });
    const staged = await app.store.stage(Readable.from([data]), { limitBytes: MAX_PREVIEW_BYTES });
    return { staged, width: info.width, height: info.height };
  } catch (error) {
    app.log.info({ err: error }, 'the preview of a link could not be had');
    return null;
  }
}

async function recordPreview(app: App, assetId: string, { staged, width, height }: Preview): Promise<void> {
  await staged.keep();
  const { sha256, bytes, crc32, copy } = staged;
  await inTransaction(app.db, async (tx) => {
    await recordBlobs(tx, [{ sha256, bytes, crc32, ...copy }]);
    await keepPreview(tx, assetId, { sha256, bytes, width, height, mime: 'image/webp' });
  });
}

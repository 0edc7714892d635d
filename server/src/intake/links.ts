import { randomUUID } from 'node:crypto';
import { rm, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import { cleanName, type LinkFacts } from '@uniferum/core/library';
import Joi from 'joi';
import { isEnvironmentFault } from '../shared/errors.js';
import { FetchFailure, fetchAddress } from '../shared/outgoing.js';
import { hashFile } from '../stores/hash-file.js';
import type { IncomingFile, IntakeContext, LinkPreview, TakenIn } from './incoming.js';
import { type AlsoRecord, receiveStaged, refuseFile, takeIn } from './take-in.js';
import type { IntakeTools } from './tools.js';

const MAX_PAGE_BYTES = 1_000_000;
const MAX_PREVIEW_BYTES = 10_000_000;
const PREVIEW_PX = 1200;
const MAX_FETCH_MS = 20_000;

const pixels = Joi.number().integer().min(1).max(20_000).allow(null);

/** A provider's response. Source: oEmbed 1.0, section 2.3.4. */
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
 * Imports a film or post hosted elsewhere. Its page names the provider's oEmbed response (oEmbed 1.0, section 4),
 * which becomes the asset's bytes. The preview is stored here, so that no page of the site requests it from the
 * provider.
 */
export async function takeLinkIn(
  tools: IntakeTools,
  intake: IntakeContext,
  {
    address,
    texts,
    ...target
  }: { address: string } & Pick<IncomingFile, 'folder' | 'texts' | 'mustKeepName'>,
  alsoRecord?: AlsoRecord,
): Promise<TakenIn> {
  try {
    const description = await describeLink(tools, address);
    const preview = await fetchPreview(
      tools,
      description.thumbnail_url ?? (description.type === 'photo' ? description.url : null),
    );
    try {
      const link = toFacts(address, description);
      const body = Buffer.from(`${JSON.stringify({ ...description, address }, null, 2)}\n`);
      const staged = await tools.store.stage(Readable.from([body]), { limitBytes: MAX_PAGE_BYTES });
      const title = texts.title ?? (description.title || null);
      const file = {
        name: `${cleanName(title ?? new URL(address).host).slice(0, 120)}.link`,
        ...target,
        texts: { ...texts, title, credit: texts.credit ?? description.author_name ?? null },
        link,
      };
      const received = await receiveStaged(tools, file, staged);
      await preview?.staged.keep();
      const [taken] = await takeIn(tools, intake, [{ ...received, ...(preview && { preview }) }], alsoRecord);
      if (!taken) throw new Error('Expected a verdict of the link, got none');
      return taken;
    } finally {
      await preview?.staged.discard();
    }
  } catch (error) {
    if (!(error instanceof FetchFailure)) throw error;
    const verdict = await refuseFile(tools, intake, address, {
      code: 'address-failed',
      message: `${address} can't be linked: ${error.message}.`,
    });
    return { verdict, assetId: null, sha256: null };
  }
}

/** Everything known about a link is stored in one column. */
const MAX_HTML_BYTES = 50_000;

function toFacts(address: string, oembed: Oembed): LinkFacts {
  const isShort = Buffer.byteLength(oembed.html ?? '') <= MAX_HTML_BYTES;
  return {
    address,
    type: oembed.type,
    provider: oembed.provider_name || null,
    author: oembed.author_name || null,
    html: (isShort && oembed.html) || null,
    width: oembed.width ?? null,
    height: oembed.height ?? null,
  };
}

async function describeLink(tools: IntakeTools, address: string): Promise<Oembed> {
  const page = await fetchText(tools, address);
  const found =
    page.mime === 'application/json' || page.mime === 'application/json+oembed'
      ? page
      : await follow(tools, page);
  let parsed: unknown;
  try {
    parsed = JSON.parse(found.text);
  } catch {
    throw new FetchFailure('the description linked by the page is not JSON');
  }
  const { value, error } = oembedSchema.validate(parsed);
  if (error) throw new FetchFailure(`the description linked by the page is not oEmbed: ${error.message}`);
  return value as Oembed;
}

async function follow(tools: IntakeTools, page: { url: string; text: string }) {
  const href = await withScratchFile(tools, Buffer.from(page.text), (path) => tools.inspector.discover(path));
  if (href === null) throw new FetchFailure('its page has no oEmbed description');
  if (!URL.canParse(href, page.url))
    throw new FetchFailure(`the description linked by the page has an invalid URL: "${href}"`);
  return fetchText(tools, new URL(href, page.url).href);
}

/** Passes untrusted bytes to another process as a file. */
async function withScratchFile<Result>(
  { store }: IntakeTools,
  data: Buffer,
  work: (path: string) => Promise<Result>,
): Promise<Result> {
  const path = join(store.scratch(), randomUUID());
  try {
    await writeFile(path, data, { flag: 'wx' });
    return await work(path);
  } finally {
    await rm(path, { force: true });
  }
}

async function fetchText(
  tools: IntakeTools,
  address: string,
): Promise<{ url: string; mime: string | null; text: string }> {
  // The head comes first; the rest of the page is not needed.
  const { url, mime, bytes } = await fetchStart(tools, address, MAX_PAGE_BYTES);
  return { url, mime, text: bytes.toString('utf8') };
}

/** Downloads up to a number of bytes; `isWhole` is false when there is more. @throws FetchFailure */
async function fetchStart(tools: IntakeTools, address: string, maxBytes: number) {
  try {
    const { url, mime, body } = await fetchAddress(tools.config, address, {
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
    throw new FetchFailure('the response was incomplete or took too long', { cause: error });
  }
}

/** A missing preview is no reason to refuse the link. */
async function fetchPreview(
  tools: IntakeTools,
  address: string | null | undefined,
): Promise<LinkPreview | null> {
  if (!address) return null;
  const outPath = join(tools.store.scratch(), randomUUID());
  try {
    const { bytes, isWhole } = await fetchStart(tools, address, MAX_PREVIEW_BYTES);
    if (!isWhole) throw new FetchFailure('it is too large for a preview');
    const size = await withScratchFile(tools, bytes, (path) =>
      tools.inspector.shrink(path, outPath, PREVIEW_PX),
    );
    return { staged: tools.store.stageWrittenFile(outPath, await hashFile(outPath)), ...size };
  } catch (error) {
    await rm(outPath, { force: true });
    if (isEnvironmentFault(error)) throw error;
    tools.log.info({ err: error }, 'the preview of a link could not be had');
    return null;
  }
}

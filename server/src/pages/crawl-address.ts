import { setTimeout as delay } from 'node:timers/promises';
import {
  baseOf,
  type DocumentFormat,
  isWithinSite,
  siteLink,
  targetOf,
  withoutFragment,
} from '@uniferum/core/pages';
import { recordEvent } from '../events/outbox.js';
import type { ItemResult } from '../runs/handler.js';
import { countItemsByKey } from '../runs/item-queries.js';
import { addItems } from '../runs/ledger.js';
import { findRun } from '../runs/queries.js';
import { type Database, inTransaction, type Transaction } from '../shared/database.js';
import { type Fetched, FetchFailure, fetchAddress, readBody } from '../shared/outgoing.js';
import { sha256Of } from '../shared/sha256.js';
import {
  applyChecks,
  deleteOldChecks,
  deletePage,
  findPage,
  type KnownPage,
  listAddresses,
  listUnseen,
  markSeen,
  placeOfUrl,
  putCheck,
  reserveRequest,
} from './crawl-queries.js';
import { type CrawlInput, crawlRun, toCrawlItem } from './crawl-run.js';
import { deleteDocuments, type StoredDocument } from './document-queries.js';
import { sourceIndexed } from './events.js';
import { readPresent } from './index-source.js';
import type { IndexTools } from './opened-source.js';
import { putDocuments } from './put-document-queries.js';
import { ReferenceResolver } from './resolve-references.js';
import type { PageSource } from './source.js';
import { findSource, updateIndexedAt } from './source-queries.js';

const MAX_PAGE_BYTES = 10_000_000;
/** Links of one page beyond this many are not followed. */
const MAX_LINKS = 900;
const FETCH_MS = 20_000;
const FORMATS: Record<string, DocumentFormat> = {
  'text/html': 'html',
  'application/xhtml+xml': 'html',
  'text/css': 'css',
};

/** A page that was read, or left as it was. */
interface Answer {
  document: StoredDocument | null;
  links: CrawlInput[];
}

/** Reads or checks one address of a site. */
export class CrawledAddress {
  readonly #tools: IndexTools;
  readonly #source: PageSource<'site'>;
  readonly #runId: string;
  readonly #signal: AbortSignal;

  constructor(
    tools: IndexTools,
    source: PageSource<'site'>,
    { runId, signal }: { runId: string; signal: AbortSignal },
  ) {
    this.#tools = tools;
    this.#source = source;
    this.#runId = runId;
    this.#signal = signal;
  }

  /** All workers take turns, so that a site is never asked more often than it allows. */
  async waitForRequest(leastMs: number): Promise<void> {
    const intervalMs = Math.max(1000 / this.#source.settings.perSecond, leastMs);
    const waitMs = await inTransaction(this.#tools.db, (tx) =>
      reserveRequest(tx, this.#source.id, intervalMs),
    );
    await delay(waitMs, undefined, { signal: this.#signal });
  }

  async readPage(input: CrawlInput): Promise<ItemResult> {
    const path = pathOf(input.url);
    const known = await findPage(this.#tools.db, this.#source.id, path);
    const answer = await this.#fetchPage(input.url, known);
    if (answer instanceof FetchFailure && answer.status === 304 && known !== null)
      return this.#keep(input, { document: null, links: await this.#linksOfKnown(input, known) });
    if (answer instanceof FetchFailure) return this.miss(input, answer);
    const url = withoutFragment(answer.url);
    const format = FORMATS[answer.mime ?? ''];
    if (url !== input.url || format === undefined) {
      answer.body.destroy();
      // It leads elsewhere: what is there is read under its own address.
      const links =
        url === input.url
          ? []
          : [{ ...input, url }].filter((one) => isWithinSite(this.#source.settings.url, one.url));
      return this.#keep(input, { document: null, links });
    }
    const bytes = await readBody(answer, MAX_PAGE_BYTES).catch((error) => error as FetchFailure);
    if (bytes instanceof Error) {
      if (bytes.mayRetry) throw bytes;
      // A link to it is not broken.
      return { ...this.#keep(input, { document: null, links: [] }), note: bytes.message };
    }
    const stamp = stampOf(answer, bytes);
    const present = { path, stamp, url, title: null, format, content: { bytes }, fault: null };
    const resolver = new ReferenceResolver(this.#tools.db, this.#tools.config);
    const [document] = await readPresent(this.#tools, [present], resolver);
    if (document === undefined) throw new Error(`Expected ${url} to be read`);
    const base = baseOf(document.base, url);
    for (const reference of document.references) {
      const target = targetOf(reference.address, base);
      if (reference.place === null && target !== null) reference.place = placeOfUrl(withoutFragment(target));
    }
    // Where media of the library are, is known without asking.
    const outside = document.references.filter(({ state }) => state === 'outside');
    const links = outside.flatMap((one) => this.#linkOf(input, one, base));
    return this.#keep(input, { document, links });
  }

  async check(input: CrawlInput): Promise<ItemResult> {
    const answer = await this.#ask(input.url, 'HEAD');
    // Not every server knows HEAD, or answers it as GET.
    const final =
      answer instanceof FetchFailure && answer.status !== null && answer.status !== 429
        ? await this.#ask(input.url, 'GET')
        : answer;
    return final instanceof FetchFailure ? this.miss(input, final) : this.#keep(input, null);
  }

  async #ask(url: string, method: 'HEAD' | 'GET'): Promise<FetchFailure | null> {
    try {
      const { body } = await fetchAddress(this.#tools.config, url, this.#options({ method }));
      body.destroy();
      return null;
    } catch (error) {
      return this.#judge(error);
    }
  }

  /** What was asked for is not there, or may not be asked for. */
  miss(input: CrawlInput, failure: FetchFailure): ItemResult {
    // Without its first page nothing is known of a site: what was known before stays.
    if (input.what === 'page' && input.depth === 0)
      return { outcome: 'failed', error: `The first page can't be read: ${failure.message}.` };
    return {
      outcome: 'done',
      note: failure.message,
      record: async (tx) => {
        if ((await findSource(tx, this.#source.id, { lock: true })) === null) return;
        await this.#putCheck(tx, input.url, `${failure.message}.`);
        if (input.what === 'check') return;
        const place = { sourceId: this.#source.id, path: pathOf(input.url), runId: this.#runId };
        // Any other answer may be a passing one.
        if (failure.status === 404 || failure.status === 410)
          await deletePage(tx, place.sourceId, place.path);
        else await markSeen(tx, place);
      },
      afterwards: () => this.#finish(),
    };
  }

  #keep(input: CrawlInput, answer: Answer | null): ItemResult {
    return {
      outcome: 'done',
      record: async (tx) => {
        if ((await findSource(tx, this.#source.id, { lock: true })) === null) return;
        await this.#putCheck(tx, input.url, null);
        if (answer === null) return;
        const { document, links } = answer;
        const place = { sourceId: this.#source.id, path: pathOf(input.url), runId: this.#runId };
        if (document !== null) {
          await putDocuments(tx, this.#source.id, [document]);
          await applyChecks(tx, this.#source.id, place.path);
        }
        await markSeen(tx, place);
        await this.#addLinks(tx, links);
        await updateIndexedAt(tx, this.#source.id);
      },
      afterwards: () => this.#finish(),
    };
  }

  #putCheck(tx: Transaction, url: string, fault: string | null): Promise<void> {
    return putCheck(tx, { sourceId: this.#source.id, place: placeOfUrl(url), runId: this.#runId }, fault);
  }

  async #addLinks(tx: Transaction, links: readonly CrawlInput[]): Promise<void> {
    const pages = links.filter(({ what }) => what === 'page');
    const left = this.#source.settings.maxPages - (await countItemsByKey(tx, this.#runId, 'page:'));
    const checks = links.filter(({ what }) => what === 'check');
    const wanted = [...pages.slice(0, Math.max(0, left)), ...checks].slice(0, MAX_LINKS);
    await addItems(tx, this.#runId, crawlRun, wanted.map(toCrawlItem));
  }

  async #fetchPage(url: string, known: KnownPage | null): Promise<Fetched | FetchFailure> {
    const headers = { accept: 'text/html,application/xhtml+xml,text/css;q=0.9', ...conditionOf(known) };
    try {
      return await fetchAddress(this.#tools.config, url, this.#options({ headers }));
    } catch (error) {
      return this.#judge(error);
    }
  }

  #options<Options extends object>(options: Options) {
    return {
      ...options,
      timeoutMs: FETCH_MS,
      signal: AbortSignal.any([this.#signal, AbortSignal.timeout(60_000)]),
    };
  }

  /** A failure that another attempt may not have is thrown. */
  #judge(error: unknown): FetchFailure {
    this.#signal.throwIfAborted();
    if (error instanceof FetchFailure && !error.mayRetry) return error;
    throw error;
  }

  async #linksOfKnown(input: CrawlInput, { id, base }: KnownPage): Promise<CrawlInput[]> {
    const against = baseOf(base, input.url);
    return (await listAddresses(this.#tools.db, id)).flatMap((one) => this.#linkOf(input, one, against));
  }

  #linkOf(
    { depth }: CrawlInput,
    reference: { attribute: string; address: string },
    base: string | null,
  ): CrawlInput[] {
    const link = siteLink(reference, { base, depth }, this.#source.settings);
    return link === null ? [] : [{ source: this.#source.id, ...link }];
  }

  /** After the last item: pages that are linked from nowhere any more are forgotten. */
  async #finish(): Promise<void> {
    const { db } = this.#tools;
    const { id, name } = this.#source;
    const run = await findRun(db, this.#runId);
    if (run === null || !['done', 'faulty'].includes(run.state)) return;
    if (run.state === 'done') await forgetUnseen(db, id, this.#runId);
    await inTransaction(db, (tx) => recordEvent(tx, { event: sourceIndexed, by: name, data: { id, name } }));
  }
}

async function forgetUnseen(db: Database, sourceId: string, runId: string): Promise<void> {
  for (;;) {
    const ids = await listUnseen(db, sourceId, runId);
    if (ids.length === 0) break;
    await inTransaction(db, (tx) => deleteDocuments(tx, ids));
  }
  while ((await inTransaction(db, (tx) => deleteOldChecks(tx, sourceId, runId))) > 0);
}

/** The path of a page within its site. */
function pathOf(url: string): string {
  const { pathname, search } = new URL(url);
  return pathname + search;
}

/** How a page is recognised as unchanged. Source: RFC 9110, section 13.1. */
function stampOf({ etag, lastModified }: Fetched, bytes: Uint8Array): string {
  if (etag !== null && /^[\x21-\x7e]{2,77}$/.test(etag)) return `e:${etag}`;
  if (lastModified !== null && /^[\x20-\x7e]{1,77}$/.test(lastModified)) return `m:${lastModified}`;
  return sha256Of(bytes);
}

function conditionOf(known: KnownPage | null): Record<string, string> {
  if (known?.stamp.startsWith('e:')) return { 'if-none-match': known.stamp.slice(2) };
  return known?.stamp.startsWith('m:') ? { 'if-modified-since': known.stamp.slice(2) } : {};
}

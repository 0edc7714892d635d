import type { SiteLink } from '@uniferum/core/pages';
import { defineRun } from '../runs/run-kind.js';
import { sha256Of } from '../shared/sha256.js';

/** One address of a site. */
export interface CrawlInput extends SiteLink {
  source: string;
}

export const crawlRun = defineRun<CrawlInput>({ kind: 'page-crawl', label: 'Read a site' });

/** The item of an address: adding it twice is harmless. */
export function toCrawlItem(input: CrawlInput) {
  const key = `${input.what}:${sha256Of(input.url)}`;
  return { key, title: input.url.slice(0, 300), input };
}

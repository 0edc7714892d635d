import type { SiteSettings } from '@uniferum/core/pages';
import type { TestStep } from '@uniferum/core/shared';
import type { Config } from '../shared/config.js';
import { FetchFailure, fetchAddress } from '../shared/outgoing.js';
import { RobotsReader } from './robots.js';

/** Tests a site step by step, up to the first that fails. */
export async function testSite(
  config: Pick<Config, 'allowedHosts'>,
  { url }: SiteSettings,
): Promise<TestStep[]> {
  const steps: TestStep[] = [];
  const rules = await new RobotsReader(config).rulesFor(url).catch(toMessage);
  if (typeof rules === 'string') return [{ name: 'reached', ok: false, message: rules }];
  steps.push({ name: 'reached', ok: true, message: `${new URL(url).host} answers.` });
  const isAllowed = rules.allows(url);
  steps.push({
    name: 'allowed',
    ok: isAllowed,
    message: isAllowed
      ? 'Its robots.txt allows reading.'
      : `Its robots.txt asks not to read ${url}. Allow the user agent Uniferum there, or choose another address.`,
  });
  if (!isAllowed) return steps;
  const page = await fetchAddress(config, url, { headers: { accept: 'text/html' } }).catch(toMessage);
  if (typeof page === 'string') return [...steps, { name: 'readable', ok: false, message: page }];
  page.body.destroy();
  const isPage = page.mime === 'text/html' || page.mime === 'application/xhtml+xml';
  steps.push({
    name: 'readable',
    ok: isPage,
    message: isPage
      ? `${page.url} is a page.`
      : `${page.url} isn't an HTML page but ${page.mime ?? 'of an unknown type'}. Choose the address of a page.`,
  });
  return steps;
}

function toMessage(error: unknown): string {
  if (error instanceof FetchFailure) return `${error.message}.`;
  throw error;
}

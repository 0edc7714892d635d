import { Parser } from 'htmlparser2';

/** Finds the oEmbed discovery link in a page's head. Source: oEmbed 1.0, section 4. */
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

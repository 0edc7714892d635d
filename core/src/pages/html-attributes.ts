/** What an attribute holds. */
export type AttributeKind = 'address' | 'link' | 'candidates' | 'style' | 'addresses' | 'document';

/** Source: WHATWG HTML, "Attributes" (index of attributes with URLs), and SVG 2, 16.1 for `href`. */
const BY_ELEMENT: Record<string, Record<string, AttributeKind>> = {
  img: { src: 'address', srcset: 'candidates', longdesc: 'link', lowsrc: 'address' },
  source: { src: 'address', srcset: 'candidates' },
  video: { src: 'address', poster: 'address' },
  audio: { src: 'address' },
  track: { src: 'address' },
  embed: { src: 'address' },
  object: { data: 'address' },
  iframe: { src: 'address', srcdoc: 'document' },
  frame: { src: 'address' },
  input: { src: 'address' },
  script: { src: 'address' },
  link: { href: 'address', imagesrcset: 'candidates' },
  a: { href: 'link' },
  area: { href: 'link' },
  body: { background: 'address' },
  table: { background: 'address' },
  td: { background: 'address' },
  th: { background: 'address' },
};

/** Attributes with an address on any element: those of scripts that load pictures later are common practice, no source. */
const ON_ANY: Record<string, AttributeKind> = {
  style: 'style',
  'xlink:href': 'address',
  'data-src': 'address',
  'data-srcset': 'candidates',
  'data-poster': 'address',
  'data-original': 'address',
  'data-lazy-src': 'address',
  'data-bg': 'address',
  'data-background': 'address',
  'data-background-image': 'address',
  'data-full': 'address',
};

/** Elements of SVG that refer by `href`. Source: SVG 2, 16.1.6. */
const SVG_REFERRING = new Set(
  'image use feimage pattern lineargradient radialgradient textpath mpath animate set script'.split(' '),
);

/** What an attribute of an element holds; null when it is no address. Names are in lower case. */
export function attributeKind(element: string, attribute: string): AttributeKind | null {
  const own = BY_ELEMENT[element]?.[attribute] ?? ON_ANY[attribute];
  if (own !== undefined) return own === 'address' && element === 'a' ? 'link' : own;
  return attribute === 'href' && SVG_REFERRING.has(element) ? 'address' : null;
}

/** Properties whose content is an address, of any vocabulary. Source: the Open Graph protocol; schema.org; for others common practice, no source. */
const META =
  /^(?:[a-z]+:(?:image|video|audio|player)(?::(?:(?:secure_)?url|src))?|(?:thumbnail|content|image|embed)(?:url)?|[a-z]+-(?:tileimage|(?:square|wide)\d+x\d+logo))$/i;

/** Tells whether a `meta` element with these names has an address as its content. */
export function isMetaAddress(names: readonly (string | undefined)[]): boolean {
  return names.some((name) => name !== undefined && META.test(name.trim()));
}

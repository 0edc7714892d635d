import { SaxesParser } from 'saxes';

/** The namespaces of properties that are read. Source: ISO 16684-1; IPTC Photo Metadata Standard 2023.1; PLUS LDF 2.0.1. */
export const XMP_NAMESPACES = {
  dc: 'http://purl.org/dc/elements/1.1/',
  xmp: 'http://ns.adobe.com/xap/1.0/',
  xmpRights: 'http://ns.adobe.com/xap/1.0/rights/',
  iptcCore: 'http://iptc.org/std/Iptc4xmpCore/1.0/xmlns/',
  press: 'http://ns.adobe.com/photoshop/1.0/',
  licence: 'http://creativecommons.org/ns#',
  plus: 'http://ns.useplus.org/ldf/xmp/1.0/',
} as const;

const RDF = 'http://www.w3.org/1999/02/22-rdf-syntax-ns#';
const XML = 'http://www.w3.org/XML/1998/namespace';

/** One value of a property; for a language alternative, with its language. */
export interface XmpValue {
  text: string;
  language: string | null;
}

/** Properties by namespace and name; nested structure fields are ignored. */
export class XmpProperties {
  readonly #values = new Map<string, XmpValue[]>();

  add(namespace: string, name: string, value: XmpValue): void {
    const key = `${namespace} ${name}`;
    const values = this.#values.get(key);
    if (values) values.push(value);
    else this.#values.set(key, [value]);
  }

  list(namespace: string, name: string): string[] {
    return (this.#values.get(`${namespace} ${name}`) ?? []).map(({ text }) => text);
  }

  /** The text of a property: the default of a language alternative, or the items of a list joined by commas. */
  text(namespace: string, name: string): string | undefined {
    const values = this.#values.get(`${namespace} ${name}`) ?? [];
    const byDefault = values.find(({ language }) => language === 'x-default');
    if (byDefault) return byDefault.text;
    if (values[0]?.language) return values[0].text;
    return values.map(({ text }) => text).join(', ') || undefined;
  }
}

/** The parser's position in the tree. */
interface Place {
  kind: 'outside' | 'rdf' | 'description' | 'property' | 'array' | 'item' | 'structure';
  namespace: string;
  name: string;
  language: string | null;
}

const OUTSIDE: Place = { kind: 'outside', namespace: '', name: '', language: null };

/**
 * The parser resolves a name through all open elements; without this limit the cost grows with the square of the
 * packet size. Structures within structures are about a dozen levels deep.
 */
const MAX_DEPTH = 100;

/** Reads an XMP packet. Reading stops at the first error; what was read before it is kept. Source: ISO 16684-1, clause 7. */
export function readXmp(packet: Uint8Array): XmpProperties {
  const properties = new XmpProperties();
  const places: Place[] = [OUTSIDE];
  let text = '';
  const parser = new SaxesParser({ xmlns: true });
  parser.on('opentag', (tag) => {
    if (places.length > MAX_DEPTH) throw new Error('its elements lie in each other too deep');
    const place = placeOf(places.at(-1) ?? OUTSIDE, tag.uri, tag.local);
    const attributes = Object.values(tag.attributes);
    place.language = attributes.find(({ uri, local }) => uri === XML && local === 'lang')?.value ?? null;
    if (place.kind === 'description')
      for (const { uri, local, value } of attributes)
        if (uri !== '' && uri !== RDF && uri !== XML && !uri.startsWith('http://www.w3.org/2000/xmlns'))
          properties.add(uri, local, { text: value, language: null });
    const resource = attributes.find(({ uri, local }) => uri === RDF && local === 'resource')?.value;
    if (place.kind === 'property' && resource)
      properties.add(place.namespace, place.name, { text: resource, language: null });
    places.push(place);
    text = '';
  });
  const addText = (part: string) => {
    text += part;
  };
  parser.on('text', addText);
  parser.on('cdata', addText);
  parser.on('closetag', () => {
    const place = places.pop();
    const value = text.trim();
    if (place && (place.kind === 'property' || place.kind === 'item') && value !== '')
      properties.add(place.namespace, place.name, { text: value, language: place.language });
    text = '';
  });
  try {
    parser.on('error', (error) => {
      throw error;
    });
    parser.write(decode(packet)).close();
  } catch {
    // Corrupt from here on.
  }
  return properties;
}

function placeOf(parent: Place, namespace: string, name: string): Place {
  const isRdf = namespace === RDF;
  const at = (kind: Place['kind'], own = parent): Place => ({
    kind,
    namespace: own.namespace,
    name: own.name,
    language: null,
  });
  switch (parent.kind) {
    case 'outside':
      return at(isRdf && name === 'RDF' ? 'rdf' : 'outside');
    case 'rdf':
      return at(isRdf && name === 'Description' ? 'description' : 'structure');
    case 'description':
      return { kind: 'property', namespace, name, language: null };
    case 'property':
      return at(isRdf && /^(?:Alt|Bag|Seq)$/.test(name) ? 'array' : 'structure');
    case 'array':
      return at(isRdf && name === 'li' ? 'item' : 'structure');
    default:
      return at('structure');
  }
}

/** A packet is UTF-8, or UTF-16 with a byte order mark. */
function decode(packet: Uint8Array): string {
  const [first, second] = packet;
  const encoding =
    first === 0xfe && second === 0xff ? 'utf-16be' : first === 0xff && second === 0xfe ? 'utf-16le' : 'utf-8';
  const text = new TextDecoder(encoding).decode(packet);
  // Padding around the packet, which some programs fill with zero bytes.
  return text.replaceAll('\u0000', '').trim();
}

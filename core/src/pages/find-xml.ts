import { Tokenizer } from 'htmlparser2';
import { attributeKind } from './html-attributes.js';
import { type Found, isAddressLike, MARKUP } from './reference.js';
import { QuoteType, TagReader, toCharacterReference } from './tag-reader.js';
import type { Escaper, View } from './view.js';

/** Finds the references of a feed, a sitemap, an SVG or another XML document. */
export function findInXml(view: View, found: Found): void {
  const tokenizer = new Tokenizer({ xmlMode: true, decodeEntities: false }, new XmlReader(view, found));
  tokenizer.write(view.text);
  tokenizer.end();
}

/** Source: XML 1.0, 2.4. */
const escapeXml: Escaper = (address) => address.replace(/[&<>"']/g, toCharacterReference);

/** Attributes with an address. Source: RSS 2.0 (url); Media RSS (url); RFC 4287 (href, src, uri); XLink 1.1; SVG 2. */
const ADDRESS_ATTRIBUTES = new Set(['url', 'href', 'src', 'xlink:href', 'poster', 'data', 'uri', 'data-src']);
/** Their elements are links, not parts of the document. Source: RFC 4287, 4.2.7; RSS 2.0; XHTML. */
const LINKS = new Set(['a', 'link', 'guid', 'comments', 'docs', 'id', 'area']);

class XmlReader extends TagReader {
  readonly #open: string[] = [];

  onopentagend(): void {
    this.#readTag();
    this.#open.push(this.element);
  }

  onselfclosingtag(): void {
    this.#readTag();
  }

  onclosetag(from: number, to: number): void {
    const at = this.#open.lastIndexOf(this.view.text.slice(from, to));
    if (at >= 0) this.#open.length = at;
  }

  ontext(from: number, to: number): void {
    if (!this.#isBlank(from, to)) this.#readText(this.view.decode(from, to, 'xml', escapeXml));
  }

  oncdata(from: number, to: number, endOffset: number): void {
    // Nothing in an ASCII address ends a section of CDATA.
    this.#readText(this.view.slice(from, to - endOffset));
  }

  override onprocessinginstruction(from: number, to: number): void {
    const text = this.view.text.slice(from, to);
    if (!/^\??xml-stylesheet\s/.test(text)) return;
    const [begin, end] = /\shref=(["'])(.*?)\1/d.exec(text)?.indices?.[2] ?? [0, 0];
    const value = this.view.decode(from + begin, from + end, 'xml', escapeXml);
    this.found.add(value, { from: 0, to: value.text.length }, { attribute: 'xml-stylesheet href' });
  }

  protected nameOf(text: string): string {
    return text;
  }

  protected valueOf(from: number, to: number, quote: QuoteType): View {
    return quote === QuoteType.NoValue
      ? this.view.slice(from, from)
      : this.view.decode(from, to, 'xml', escapeXml);
  }

  #readTag(): void {
    const element = localName(this.element);
    for (const attribute of this.attributes) {
      const name = attribute.name.toLowerCase();
      if (name === 'xml:base') {
        if (this.#open.length === 0) this.found.base ??= attribute.value.text.trim();
        continue;
      }
      const kind = attributeKind(element, name) ?? (ADDRESS_ATTRIBUTES.has(name) ? 'address' : null);
      if (kind !== null) this.readAttribute(attribute, kind, kind === 'link' || LINKS.has(element));
    }
  }

  #readText(part: View): void {
    const [element = ''] = this.#open.slice(-1);
    const local = localName(element);
    const text = part.text.trim();
    if (local === 'style') this.found.readWithin('css', part);
    else if (isAddressLike(text))
      this.found.add(
        part,
        { from: 0, to: part.text.length },
        { attribute: element, isLink: LINKS.has(local) },
      );
    else if (MARKUP.test(text)) this.found.readWithin('html', part);
    else if (local === 'title') this.found.setTitle(text);
  }

  #isBlank(from: number, to: number): boolean {
    for (let at = from; at < to; at += 1) if (this.view.text.charCodeAt(at) > 0x20) return false;
    return true;
  }
}

function localName(name: string): string {
  return name.slice(name.indexOf(':') + 1).toLowerCase();
}

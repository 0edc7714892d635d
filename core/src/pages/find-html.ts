import { Tokenizer } from 'htmlparser2';
import { isMetaAddress } from './html-attributes.js';
import type { Found } from './reference.js';
import { QuoteType, TagReader, toCharacterReference } from './tag-reader.js';
import type { Escaper, View } from './view.js';

/** Finds the references of an HTML document or of a part of one. */
export function findInHtml(view: View, found: Found): void {
  const tokenizer = new Tokenizer({ decodeEntities: false }, new HtmlReader(view, found));
  tokenizer.write(view.text);
  tokenizer.end();
}

/** Source: WHATWG HTML, "attribute value (double-quoted) state", "(single-quoted)" and "(unquoted)". */
const ESCAPERS: Record<QuoteType, Escaper> = {
  [QuoteType.Double]: (address) => address.replace(/[&"]/g, toCharacterReference),
  [QuoteType.Single]: (address) => address.replace(/[&']/g, toCharacterReference),
  [QuoteType.Unquoted]: (address) => address.replace(/[&"'=`]/g, toCharacterReference),
  [QuoteType.NoValue]: (address) => address,
};

/** Elements whose content is not HTML, as far as it is read here. */
const READS_TEXT = new Set(['style', 'script', 'title']);
const FOREIGN = new Set(['svg', 'math']);
/** Within them, content is HTML again. Source: WHATWG HTML, "HTML integration point". */
const INTEGRATION = new Set(['foreignobject', 'desc']);
/** Scripts that are data. */
const DATA_SCRIPT = /^application\/(?:[\w.-]+\+)?json$/i;
const LINKING_RELATIONS =
  /(?:^|\s)(?:canonical|alternate|next|prev|author|license|help|search|bookmark|me)(?:\s|$)/i;

class HtmlReader extends TagReader {
  /** The element whose text is read. */
  #reading: string | null = null;
  #isData = false;
  /** The open foreign elements and integration points. */
  readonly #foreign: { name: string; isForeign: boolean }[] = [];

  onopentagend(): void {
    this.#readTag();
    const { element } = this;
    if (FOREIGN.has(element)) this.#foreign.push({ name: element, isForeign: true });
    else if (INTEGRATION.has(element) && this.isInForeignContext())
      this.#foreign.push({ name: element, isForeign: false });
    if (!READS_TEXT.has(element)) return;
    this.#reading = element;
    this.#isData = element === 'script' && DATA_SCRIPT.test(this.attribute('type')?.trim() ?? '');
  }

  onselfclosingtag(): void {
    if (this.isInForeignContext() || FOREIGN.has(this.element)) this.#readTag();
    else this.onopentagend();
  }

  onclosetag(from: number, to: number): void {
    const name = this.nameOf(this.view.text.slice(from, to));
    if (name === this.#reading) this.#reading = null;
    const at = this.#foreign.findLastIndex((one) => one.name === name);
    if (at >= 0) this.#foreign.length = at;
  }

  ontext(from: number, to: number): void {
    if (this.#reading === null) return;
    if (this.#reading === 'style') this.found.readWithin('css', this.view.slice(from, to));
    else if (this.#isData) this.found.readWithin('json', this.view.slice(from, to));
    else if (this.#reading === 'title' && !this.isInForeignContext())
      this.found.setTitle(this.view.decode(from, to, 'attribute').text);
  }

  oncdata(from: number, to: number, endOffset: number): void {
    this.ontext(from, to - endOffset);
  }

  /** Asked by the tokenizer: in foreign elements there are sections of CDATA, and no raw text. */
  isInForeignContext(): boolean {
    return this.#foreign.at(-1)?.isForeign ?? false;
  }

  protected nameOf(text: string): string {
    return text.toLowerCase();
  }

  protected valueOf(from: number, to: number, quote: QuoteType): View {
    return this.view.decode(from, to, 'attribute', ESCAPERS[quote]);
  }

  #readTag(): void {
    if (this.element === 'meta') this.#readMeta();
    // The first one counts. Source: WHATWG HTML, "The base element".
    else if (this.element === 'base') this.found.base ??= this.attribute('href')?.trim() ?? null;
    else
      for (const attribute of this.attributes) {
        const kind = this.kindOf(attribute.name);
        if (kind !== null) this.readAttribute(attribute, kind, kind === 'link' || this.#isLinkingLink());
      }
  }

  #readMeta(): void {
    const content = this.attributes.find(({ name }) => name === 'content')?.value;
    const names = ['property', 'name', 'itemprop'].map((name) => this.attribute(name));
    if (content === undefined || !isMetaAddress(names)) return;
    const name = names
      .find((one) => one !== undefined)
      ?.trim()
      .toLowerCase();
    this.found.add(content, { from: 0, to: content.text.length }, { attribute: `meta ${name}` });
  }

  #isLinkingLink(): boolean {
    return this.element === 'link' && LINKING_RELATIONS.test(this.attribute('rel') ?? '');
  }
}

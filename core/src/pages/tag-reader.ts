import { QuoteType, type TokenizerCallbacks } from 'htmlparser2';
import { type AttributeKind, attributeKind } from './html-attributes.js';
import type { Found } from './reference.js';
import { srcsetCandidates } from './srcset-candidates.js';
import type { Escaper, View } from './view.js';

export interface Attribute {
  /** As written, in XML; in lower case, in HTML. */
  name: string;
  value: View;
}

/** Gathers the tags of HTML and XML with their attributes. */
export abstract class TagReader implements TokenizerCallbacks {
  protected readonly view: View;
  protected readonly found: Found;
  protected element = '';
  protected attributes: Attribute[] = [];
  #name = '';
  /** Where the value of the current attribute lies; -1 before its first character. */
  #from = -1;
  #to = -1;

  constructor(view: View, found: Found) {
    this.view = view;
    this.found = found;
  }

  abstract onopentagend(endIndex: number): void;
  abstract onselfclosingtag(endIndex: number): void;
  abstract onclosetag(from: number, to: number): void;
  abstract ontext(from: number, to: number): void;
  abstract oncdata(from: number, to: number, endOffset: number): void;

  /** The name of an element or attribute, as it is compared. */
  protected abstract nameOf(text: string): string;

  /** The value of an attribute without its character references. */
  protected abstract valueOf(from: number, to: number, quote: QuoteType): View;

  onopentagname(from: number, to: number): void {
    this.element = this.nameOf(this.view.text.slice(from, to));
    this.attributes = [];
  }

  onattribname(from: number, to: number): void {
    this.#name = this.nameOf(this.view.text.slice(from, to));
    this.#from = -1;
  }

  onattribdata(from: number, to: number): void {
    if (this.#from < 0) this.#from = from;
    this.#to = to;
  }

  onattribend(quote: QuoteType): void {
    // Of attributes of the same name the first counts. Source: WHATWG HTML, "attribute name state".
    if (this.#from < 0 || this.attributes.some(({ name }) => name === this.#name)) return;
    this.attributes.push({ name: this.#name, value: this.valueOf(this.#from, this.#to, quote) });
  }

  onattribentity(): void {}
  oncomment(_from: number, _to: number): void {}
  ondeclaration(): void {}
  onend(): void {}
  onprocessinginstruction(_from: number, _to: number): void {}
  ontextentity(): void {}

  protected attribute(name: string): string | undefined {
    return this.attributes.find((one) => one.name === name)?.value.text;
  }

  /** Adds the references of an attribute. */
  protected readAttribute({ name, value }: Attribute, kind: AttributeKind, isLink: boolean): void {
    const attribute = `${this.element} ${name}`;
    if (kind === 'style') this.found.readWithin('css', value);
    else if (kind === 'document') this.found.readWithin('html', value);
    else if (kind === 'candidates') addCandidates(value, this.found, attribute);
    else this.found.add(value, { from: 0, to: value.text.length }, { attribute, isLink });
  }

  protected kindOf(attribute: string): AttributeKind | null {
    return attributeKind(this.element, attribute);
  }
}

function addCandidates(value: View, found: Found, attribute: string): void {
  for (const { from, to, descriptor } of srcsetCandidates(value.text))
    found.add(value.slice(from, to, escapeCandidate), { from: 0, to: to - from }, { attribute, descriptor });
}

/** A comma at an end of a candidate would be read as a separator. */
const escapeCandidate: Escaper = (address) =>
  address.replace(/^,+|,+$/g, (commas) => '%2C'.repeat(commas.length));

/** Writes a character that an attribute could end at, or that begins a reference. */
export function toCharacterReference(sign: string): string {
  return sign === '&' ? '&amp;' : `&#${sign.charCodeAt(0)};`;
}

export { QuoteType };

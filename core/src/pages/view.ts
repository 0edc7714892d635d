import { DecodingMode, EntityDecoder, htmlDecodeTree, xmlDecodeTree } from 'entities/decode';

/** Writes an ASCII address so that the place where it is put holds it: with character references, or escapes. */
export type Escaper = (address: string) => string;

const unchanged: Escaper = (address) => address;

/**
 * A text within a document whose positions lead back to those of the document: an attribute without its character
 * references, a string of JSON without its escapes, a style sheet in a style attribute.
 */
export class View {
  readonly text: string;
  readonly escaper: Escaper;
  readonly #from: number;
  /** For each position its offset in the document; null where they only differ by a constant. */
  readonly #offsets: Uint32Array | null;

  private constructor(text: string, escaper: Escaper, from: number, offsets: Uint32Array | null) {
    this.text = text;
    this.escaper = escaper;
    this.#from = from;
    this.#offsets = offsets;
  }

  /** A whole document. */
  static of(document: string): View {
    return new View(document, unchanged, 0, null);
  }

  /** The offset in the document of a position from 0 to the length of the text. */
  at(index: number): number {
    return this.#offsets === null ? this.#from + index : (this.#offsets[index] as number);
  }

  /** A part that is written as it is read. */
  slice(from: number, to: number, escaper: Escaper = unchanged): View {
    return new View(
      this.text.slice(from, to),
      this.#nested(escaper),
      this.#offsets === null ? this.#from + from : 0,
      this.#offsets?.subarray(from, to + 1) ?? null,
    );
  }

  /** Parts of this text, one after the other, without what lies between them. */
  join(parts: readonly { from: number; to: number }[]): View {
    const [first, ...more] = parts;
    if (first && more.length === 0) return this.slice(first.from, first.to);
    const builder = new ViewBuilder();
    for (const { from, to } of parts) builder.copy(this, from, to);
    return builder.build(parts.at(-1)?.to ?? 0, this, unchanged);
  }

  /** A part in which HTML or XML character references are resolved. */
  decode(from: number, to: number, dialect: 'attribute' | 'xml', escaper: Escaper = unchanged): View {
    const raw = this.text.slice(from, to);
    if (!raw.includes('&')) return this.slice(from, to, escaper);
    const builder = new ViewBuilder();
    const tree = dialect === 'xml' ? xmlDecodeTree : htmlDecodeTree;
    const mode = dialect === 'xml' ? DecodingMode.Strict : DecodingMode.Attribute;
    let points: number[] = [];
    const decoder = new EntityDecoder(tree, (point) => points.push(point));
    let copied = 0;
    for (let at = raw.indexOf('&'); at >= 0; at = raw.indexOf('&', at)) {
      points = [];
      decoder.startEntity(mode);
      const length = Math.max(decoder.write(raw, at + 1), 0) || decoder.end();
      if (points.length === 0) {
        at += 1;
        continue;
      }
      builder.copy(this, from + copied, from + at);
      for (const point of points) builder.put(String.fromCodePoint(point), this.at(from + at));
      at += length;
      copied = at;
    }
    builder.copy(this, from + copied, to);
    return builder.build(to, this, escaper);
  }

  /** A part in which other escapes are resolved. `escaped` yields them in order: where each lies, and what it stands for. */
  unescape(
    from: number,
    to: number,
    escaped: Iterable<{ from: number; to: number; text: string }>,
    escaper: Escaper,
  ): View {
    const builder = new ViewBuilder();
    let copied = from;
    for (const one of escaped) {
      builder.copy(this, copied, one.from);
      builder.put(one.text, this.at(one.from));
      copied = one.to;
    }
    if (copied === from) return this.slice(from, to, escaper);
    builder.copy(this, copied, to);
    return builder.build(to, this, escaper);
  }

  #nested(inner: Escaper): Escaper {
    const outer = this.escaper;
    return (address) => outer(inner(address));
  }

  /** @internal */
  static built(text: string, offsets: Uint32Array, escaper: Escaper, parent: View): View {
    return new View(text, parent.#nested(escaper), 0, offsets);
  }
}

class ViewBuilder {
  readonly #texts: string[] = [];
  readonly #offsets: number[] = [];

  copy(view: View, from: number, to: number): void {
    if (to <= from) return;
    this.#texts.push(view.text.slice(from, to));
    for (let at = from; at < to; at += 1) this.#offsets.push(view.at(at));
  }

  put(text: string, offset: number): void {
    this.#texts.push(text);
    for (let n = 0; n < text.length; n += 1) this.#offsets.push(offset);
  }

  build(end: number, parent: View, escaper: Escaper): View {
    this.#offsets.push(parent.at(end));
    return View.built(this.#texts.join(''), Uint32Array.from(this.#offsets), escaper, parent);
  }
}

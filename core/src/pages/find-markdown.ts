import { parse, postprocess, preprocess } from 'micromark';
import { decodeString } from 'micromark-util-decode-string';
import type { Token } from 'micromark-util-types';
import { type Found, isAddressLike } from './reference.js';
import type { Escaper, View } from './view.js';

/** Backslashes and character references are read in destinations. Source: CommonMark 0.31.2, 2.4, 2.5 and 6.3. */
const escapeDestination: Escaper = (address) => address.replace(/[()\\<>&]/g, '\\$&');

/** Finds the references of Markdown, of the HTML in it and of its front matter. */
export function findInMarkdown(view: View, found: Found): void {
  const body = readFrontMatter(view, found);
  const part = view.slice(body, view.text.length);
  const chunks = preprocess()(part.text, undefined, true);
  const reader = new MarkdownReader(part, found);
  for (const [kind, token] of postprocess(parse().document().write(chunks)))
    if (kind === 'enter') reader.enter(token);
    else reader.exit(token);
}

class MarkdownReader {
  readonly #view: View;
  readonly #found: Found;
  /** The images and links around. */
  readonly #around: string[] = [];
  /** The parts of the HTML that is being read. */
  #html: Part[] | null = null;
  /** The parts of the current paragraph that are no plain text. */
  #apart: Part[] = [];

  constructor(view: View, found: Found) {
    this.#view = view;
    this.#found = found;
  }

  enter(token: Token): void {
    const [from, to] = [token.start.offset, token.end.offset];
    if (token.type === 'paragraph') this.#apart = [];
    if (APART.has(token.type)) this.#apart.push({ from, to });
    if (HTML.has(token.type)) this.#html = [];
    else if (this.#html !== null && PIECES.has(token.type)) this.#html.push({ from, to });
    else if (LABELLED.has(token.type)) this.#around.push(token.type);
    else if (HEADINGS.has(token.type)) this.#found.setTitle(decodeString(this.#view.text.slice(from, to)));
    else if (DESTINATIONS.has(token.type)) this.#addDestination(token);
    else if (token.type === 'autolinkProtocol')
      this.#found.add(this.#view, { from, to }, { attribute: 'markdown autolink', isLink: true });
  }

  exit(token: Token): void {
    if (token.type === 'paragraph') this.#readPlainTags(token);
    if (LABELLED.has(token.type)) this.#around.pop();
    if (!HTML.has(token.type) || this.#html === null) return;
    this.#found.readWithin('html', this.#view.join(this.#html));
    this.#html = null;
  }

  /** Finds the tags that the parser takes for text: it ends values without quotes at a slash. */
  #readPlainTags({ start, end }: Token): void {
    const text = this.#view.text.slice(start.offset, end.offset);
    for (const { 0: tag, index } of text.matchAll(OPEN_TAG)) {
      const from = start.offset + index;
      const to = from + tag.length;
      if (!this.#apart.some((part) => part.from < to && from < part.to))
        this.#found.readWithin('html', this.#view.slice(from, to));
    }
  }

  #addDestination({ type, start, end }: Token): void {
    const part = this.#view.slice(start.offset, end.offset, escapeDestination);
    const name = type === 'definitionDestinationString' ? 'definition' : (this.#around.at(-1) ?? 'link');
    const place = { attribute: `markdown ${name}`, isLink: name === 'link', text: decodeString(part.text) };
    this.#found.add(part, { from: 0, to: part.text.length }, place);
  }
}

interface Part {
  from: number;
  to: number;
}

/** A tag with a value without quotes, on one line. Source: CommonMark 0.31.2, 6.6, "open tag". */
const OPEN_TAG =
  /<[a-z][a-z0-9-]*(?:[ \t]+[a-z_:][\w.:-]*(?:[ \t]*=[ \t]*(?:[^\s"'=<>`]+|'[^'\n]*'|"[^"\n]*"))?)+[ \t]*\/?>/gi;
/** Code and HTML that was read. */
const APART = new Set<string>(['codeText', 'htmlText', 'resource', 'autolink']);
const HTML = new Set<string>(['htmlFlow', 'htmlText']);
/** The parts of HTML without the marks of the quotes and lists around it. */
const PIECES = new Set<string>(['htmlFlowData', 'htmlTextData', 'lineEnding']);
const LABELLED = new Set<string>(['image', 'link']);
const DESTINATIONS = new Set<string>(['resourceDestinationString', 'definitionDestinationString']);
const HEADINGS = new Set<string>(['atxHeadingText', 'setextHeadingText']);

const FENCE = /^(---|\+\+\+)[ \t]*\r?\n/;
/** A line of YAML or TOML: `cover: dusk.jpg`, `cover = "dusk.jpg"`, `- dusk.jpg`. */
const FIELD = /^[ \t]*(?:-[ \t]+)?(?:([\w.-]+)[ \t]*[:=][ \t]*)?(?:-[ \t]+)?(["']?)([^\r\n]*?)\2[ \t]*,?$/d;

/** Reads the addresses of the front matter. @returns where the Markdown begins */
function readFrontMatter(view: View, found: Found): number {
  const fence = FENCE.exec(view.text);
  if (!fence) return 0;
  const mark = fence[1] as string;
  const end = new RegExp(`^${mark.replaceAll('+', '\\+')}[ \\t]*$`, 'm');
  const begin = fence[0].length;
  const rest = end.exec(view.text.slice(begin));
  if (!rest) return 0;
  let at = begin;
  for (const line of view.text.slice(begin, begin + rest.index).split('\n')) {
    readField(view, at, line.replace(/\r$/, ''), found);
    at += line.length + 1;
  }
  return begin + rest.index + rest[0].length;
}

function readField(view: View, at: number, line: string, found: Found): void {
  const match = FIELD.exec(line);
  const [from, to] = match?.indices?.[3] ?? [0, 0];
  if (!match || from === to) return;
  const value = match[3] as string;
  if (match[1]?.toLowerCase() === 'title') found.setTitle(value);
  else if (isAddressLike(value))
    found.add(view, { from: at + from, to: at + to }, { attribute: `front matter ${match[1] ?? ''}`.trim() });
}

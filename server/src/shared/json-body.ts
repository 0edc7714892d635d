import type { Request } from 'express';
import { UniferumError } from './errors.js';

export interface JsonLimits {
  maxBytes: number;
  /** The maximum nesting of arrays and objects. @defaultValue 40 */
  maxDepth?: number;
  /** The maximum number of values in all. @defaultValue 500000 */
  maxValues?: number;
}

/** The total size of all bodies read concurrently, which bounds memory. */
const MAX_HELD_BYTES = 96_000_000;
let heldBytes = 0;

const QUOTE = 0x22;
const BACKSLASH = 0x5c;
const OPENING = new Set([0x5b, 0x7b]);
const CLOSING = new Set([0x5d, 0x7d]);
const COMMA = 0x2c;

/**
 * Checks the structure of a JSON text as its chunks arrive, so that one that is too deep or has too many values is
 * rejected before it is parsed.
 */
export class JsonShape {
  readonly #maxDepth: number;
  readonly #maxValues: number;
  #depth = 0;
  #values = 0;
  #isInString = false;
  #isEscaped = false;

  constructor({ maxDepth = 40, maxValues = 500_000 }: Omit<JsonLimits, 'maxBytes'> = {}) {
    this.#maxDepth = maxDepth;
    this.#maxValues = maxValues;
  }

  /** @throws UniferumError `malformed-request` */
  add(piece: Uint8Array): void {
    for (const byte of piece) {
      if (this.#isInString) this.#readText(byte);
      else if (byte === QUOTE) this.#isInString = true;
      else if (OPENING.has(byte)) this.#open();
      else if (CLOSING.has(byte)) this.#depth -= 1;
      else if (byte === COMMA) this.#values += 1;
    }
    if (this.#values > this.#maxValues) throw refuse(`it contains more than ${this.#maxValues} values`);
  }

  #readText(byte: number): void {
    if (this.#isEscaped) this.#isEscaped = false;
    else if (byte === BACKSLASH) this.#isEscaped = true;
    else if (byte === QUOTE) this.#isInString = false;
  }

  #open(): void {
    this.#depth += 1;
    this.#values += 1;
    if (this.#depth > this.#maxDepth) throw refuse(`it is nested more than ${this.#maxDepth} levels deep`);
  }
}

function refuse(reason: string): UniferumError {
  return new UniferumError('malformed-request', `The JSON body was rejected: ${reason}.`);
}

/** Tells whether a request declares a JSON body. */
export function isJson(req: Request): boolean {
  return /^application\/(?:[\w.+-]+\+)?json\b/i.test(req.get('content-type') ?? '');
}

/**
 * Reads a JSON body.
 *
 * @throws UniferumError `too-large`, `unsupported-media-type`, `malformed-request`, or `busy` when too many are read at a time
 */
export async function readJsonBody(req: Request, limits: JsonLimits): Promise<unknown> {
  const charset = /charset\s*=\s*"?([\w-]+)/i.exec(req.get('content-type') ?? '')?.[1];
  if (charset !== undefined && !/^utf-?8$/i.test(charset))
    throw new UniferumError('unsupported-media-type', 'Send the body as JSON in UTF-8.');
  if ((req.get('content-encoding') ?? 'identity').toLowerCase() !== 'identity')
    throw new UniferumError('unsupported-media-type', 'Send the body without a content encoding.');
  const tooLarge = () =>
    new UniferumError('too-large', `The body of this request is limited to ${limits.maxBytes} bytes.`);
  if (Number(req.get('content-length') ?? 0) > limits.maxBytes) throw tooLarge();
  const shape = new JsonShape(limits);
  const decoder = new TextDecoder('utf-8', { fatal: true });
  let text = '';
  let bytes = 0;
  try {
    // An abandoned request stays intact, so that its answer can be sent on the same connection.
    for await (const piece of req.iterator({ destroyOnReturn: false }) as AsyncIterable<Buffer>) {
      bytes += piece.length;
      heldBytes += piece.length;
      if (bytes > limits.maxBytes) throw tooLarge();
      if (heldBytes > MAX_HELD_BYTES)
        throw new UniferumError('busy', 'Too many large requests are being read. Try again in a moment.', {
          retryAfterSeconds: 2,
        });
      shape.add(piece);
      text += decode(decoder, piece);
    }
    return parse(text + decode(decoder));
  } finally {
    heldBytes -= bytes;
  }
}

/** Decodes a chunk, or the rest at the end. */
function decode(decoder: TextDecoder, piece?: Uint8Array): string {
  try {
    return piece ? decoder.decode(piece, { stream: true }) : decoder.decode();
  } catch {
    throw new UniferumError('malformed-request', 'The body is not UTF-8.');
  }
}

function parse(text: string): unknown {
  if (text === '') return undefined;
  try {
    // Copying a key with this name changes an object's prototype. No API field has this name.
    return text.includes('__proto__') ? JSON.parse(text, withoutPrototypes) : JSON.parse(text);
  } catch (error) {
    if (error instanceof UniferumError) throw error;
    const reason = error instanceof Error ? error.message.slice(0, 200) : "it can't be read";
    throw new UniferumError('malformed-request', `The body is not valid JSON: ${reason}.`);
  }
}

function withoutPrototypes(key: string, value: unknown): unknown {
  if (key === '__proto__') throw refuse('a field can\'t be named "__proto__"');
  return value;
}

/** A file that is read in pieces. */
export interface ByteSource {
  readonly length: number;
  /** Reads bytes. @throws RangeError when there are fewer */
  read(offset: number, length: number): Uint8Array;
}

/** Bytes in memory. */
export class BytesInMemory implements ByteSource {
  readonly #bytes: Uint8Array;

  constructor(bytes: Uint8Array) {
    this.#bytes = bytes;
  }

  get length(): number {
    return this.#bytes.length;
  }

  read(offset: number, length: number): Uint8Array {
    requireWithin(this, offset, length);
    return this.#bytes.subarray(offset, offset + length);
  }
}

/** @throws RangeError when the range is not within the source */
export function requireWithin(source: { length: number }, offset: number, length: number): void {
  if (!(offset >= 0 && length >= 0 && offset + length <= source.length))
    throw new RangeError(`it ends before byte ${offset + length}`);
}

const HELD_BYTES = 64 * 1024;

/** Reads numbers and codes from a source with a small buffer. */
export class ByteReader {
  readonly source: ByteSource;
  readonly #isLittleEndian: boolean;
  #from = 0;
  #held: Uint8Array = new Uint8Array();

  constructor(source: ByteSource, { littleEndian = false } = {}) {
    this.source = source;
    this.#isLittleEndian = littleEndian;
  }

  get length(): number {
    return this.source.length;
  }

  /** Reads bytes. @throws RangeError when there are fewer */
  bytes(offset: number, length: number): Uint8Array {
    if (length > HELD_BYTES) return this.source.read(offset, length);
    if (offset < this.#from || offset + length > this.#from + this.#held.length) {
      requireWithin(this.source, offset, length);
      this.#from = offset;
      this.#held = this.source.read(offset, Math.min(HELD_BYTES, this.source.length - offset));
    }
    return this.#held.subarray(offset - this.#from, offset - this.#from + length);
  }

  u8(offset: number): number {
    return this.bytes(offset, 1)[0] ?? 0;
  }

  u16(offset: number): number {
    return this.#view(offset, 2).getUint16(0, this.#isLittleEndian);
  }

  u32(offset: number): number {
    return this.#view(offset, 4).getUint32(0, this.#isLittleEndian);
  }

  /** @throws RangeError when it is larger than any file */
  u64(offset: number): number {
    const value = this.#view(offset, 8).getBigUint64(0, this.#isLittleEndian);
    if (value > BigInt(Number.MAX_SAFE_INTEGER)) throw new RangeError('it states a size that no file has');
    return Number(value);
  }

  /** Reads an unsigned number of 0, 1, 2, 4 or 8 bytes. */
  uint(offset: number, size: number): number {
    if (size === 0) return 0;
    if (size === 8) return this.u64(offset);
    return size === 4 ? this.u32(offset) : size === 2 ? this.u16(offset) : this.u8(offset);
  }

  /** Reads a code of Latin-1 characters. */
  code(offset: number, length = 4): string {
    return latin1(this.bytes(offset, length));
  }

  #view(offset: number, length: number): DataView {
    const bytes = this.bytes(offset, length);
    return new DataView(bytes.buffer, bytes.byteOffset, length);
  }
}

export function latin1(bytes: Uint8Array): string {
  let text = '';
  for (const byte of bytes) text += String.fromCharCode(byte);
  return text;
}

export function fromLatin1(text: string): Uint8Array {
  return Uint8Array.from(text, (character) => character.charCodeAt(0));
}

export function concat(parts: readonly Uint8Array[]): Uint8Array {
  const whole = new Uint8Array(parts.reduce((sum, part) => sum + part.length, 0));
  let at = 0;
  for (const part of parts) {
    whole.set(part, at);
    at += part.length;
  }
  return whole;
}

import { type ByteSource, concat } from './bytes.js';

/** A part of an edited file: a range of the original (`to` excluded), other bytes, or a number of zeros. */
export type Piece = { from: number; to: number } | { bytes: Uint8Array } | { zeros: number };

/** More pieces than any well-formed file needs. */
const MAX_PIECES = 100_000;

export function lengthOfPiece(piece: Piece): number {
  if ('from' in piece) return piece.to - piece.from;
  return 'bytes' in piece ? piece.bytes.length : piece.zeros;
}

export function lengthOfPieces(pieces: readonly Piece[]): number {
  return pieces.reduce((sum, piece) => sum + lengthOfPiece(piece), 0);
}

/** Assembles the complete edited file. */
export function applyPieces(source: ByteSource, pieces: readonly Piece[]): Uint8Array {
  return concat(
    pieces.map((piece) => {
      if ('from' in piece) return source.read(piece.from, piece.to - piece.from);
      return 'bytes' in piece ? piece.bytes : new Uint8Array(piece.zeros);
    }),
  );
}

/** Cuts a range (`end` included) out of the edited file. */
export function slicePieces(pieces: readonly Piece[], start: number, end: number): Piece[] {
  const cut: Piece[] = [];
  let at = 0;
  for (const piece of pieces) {
    const length = lengthOfPiece(piece);
    const from = Math.max(0, start - at);
    const to = Math.min(length, end + 1 - at);
    if (from < to) {
      if ('from' in piece) cut.push({ from: piece.from + from, to: piece.from + to });
      else cut.push('bytes' in piece ? { bytes: piece.bytes.subarray(from, to) } : { zeros: to - from });
    }
    at += length;
    if (at > end) break;
  }
  return cut;
}

/** Assembles an edited file from beginning to end. */
export class Splice {
  readonly #pieces: Piece[] = [];

  /** Keeps a range of the original, `to` excluded. */
  keep(from: number, to: number): void {
    if (to <= from) return;
    const last = this.#pieces.at(-1);
    if (last && 'from' in last && last.to === from) last.to = to;
    else this.#add({ from, to });
  }

  put(bytes: Uint8Array): void {
    if (bytes.length > 0) this.#add({ bytes });
  }

  get pieces(): Piece[] {
    return this.#pieces;
  }

  #add(piece: Piece): void {
    if (this.#pieces.length >= MAX_PIECES) throw new Error('it is cut into too many pieces');
    this.#pieces.push(piece);
  }
}

/** Overwrites parts of a file without changing its length and offsets. */
export class Patches {
  readonly #writes: { at: number; bytes: Uint8Array }[] = [];
  readonly #clears: { from: number; to: number }[] = [];

  write(at: number, bytes: Uint8Array): void {
    if (bytes.length > 0) this.#writes.push({ at, bytes });
    this.#requireFew();
  }

  /** Overwrites a range with zeros, `to` excluded. Bytes also written there take precedence. */
  clear(from: number, to: number): void {
    if (to > from) this.#clears.push({ from, to });
    this.#requireFew();
  }

  /** @returns the pieces of a file of this length; anything beyond its end is dropped */
  toPieces(length: number): Piece[] {
    const pieces: Piece[] = [];
    let at = 0;
    const keepTo = (to: number) => {
      if (to > at) pieces.push({ from: at, to });
      at = Math.max(at, to);
    };
    for (const change of this.#ordered()) {
      const from = Math.max(change.from, at);
      const to = Math.min(change.to, length);
      if (from >= to) continue;
      keepTo(from);
      if ('bytes' in change)
        pieces.push({ bytes: change.bytes.subarray(from - change.from, to - change.from) });
      else pieces.push({ zeros: to - from });
      at = to;
    }
    keepTo(length);
    return pieces;
  }

  /** The written bytes, with the cleared ranges between them. */
  #ordered(): ({ from: number; to: number; bytes: Uint8Array } | { from: number; to: number })[] {
    const writes = this.#writes.map(({ at, bytes }) => ({ from: at, to: at + bytes.length, bytes }));
    writes.sort((a, b) => a.from - b.from);
    const clears = [...this.#clears].sort((a, b) => a.from - b.from);
    const left: { from: number; to: number }[] = [];
    let next = 0;
    for (const clear of clears) {
      let { from } = clear;
      while (next > 0 && (writes[next - 1]?.to ?? 0) > from) next -= 1;
      for (; next < writes.length && (writes[next]?.from ?? 0) < clear.to; next += 1) {
        const write = writes[next];
        if (!write || write.to <= from) continue;
        if (write.from > from) left.push({ from, to: write.from });
        from = write.to;
      }
      if (from < clear.to) left.push({ from, to: clear.to });
    }
    return [...writes, ...left].sort((a, b) => a.from - b.from);
  }

  #requireFew(): void {
    if (this.#writes.length + this.#clears.length > MAX_PIECES)
      throw new Error('it has too many parts with metadata');
  }
}

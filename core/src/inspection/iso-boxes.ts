import type { ByteReader } from './bytes.js';
import { fromLatin1 } from './bytes.js';
import type { Patches } from './edits.js';

/** A box of an ISO base media file. Source: ISO/IEC 14496-12, 4.2. */
export interface Box {
  type: string;
  at: number;
  dataAt: number;
  end: number;
}

/** Reads the boxes of a range in order. @throws Error when one is corrupt */
export function* boxesOf(reader: ByteReader, from: number, to: number): Generator<Box> {
  for (let at = from; at + 8 <= to; ) {
    const size = reader.u32(at);
    const headBytes = size === 1 ? 16 : 8;
    const end = size === 0 ? to : at + (size === 1 ? reader.u64(at + 8) : size);
    if (end < at + headBytes || end > to) throw new Error(`the box at byte ${at} is broken`);
    yield { type: reader.code(at + 4), at, dataAt: at + headBytes, end };
    at = end;
  }
}

/** Turns a box into free space. */
export function freeBox(patches: Patches, { at, dataAt, end }: Box): void {
  patches.write(at + 4, fromLatin1('free'));
  patches.clear(dataAt, end);
}

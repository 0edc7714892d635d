import { ByteReader, type ByteSource } from './bytes.js';

/** How a PSD stores its whole picture. */
export interface PsdHeader {
  width: number;
  height: number;
  bitsPerChannel: number;
  isLab: boolean;
}

const LAB = 9;

/**
 * Reads the file header of a PSD: after its signature, version, reserved bytes and number of channels, height and width in
 * four bytes each, bits per channel and colour mode in two each. Source: the format as published by its maker, from memory.
 *
 * @returns null when it is corrupt
 */
export function readPsdHeader(source: ByteSource): PsdHeader | null {
  const reader = new ByteReader(source);
  if (source.length < 26 || reader.code(0, 4) !== '8BPS') return null;
  const [height, width] = [reader.u32(14), reader.u32(18)];
  if (height === 0 || width === 0) return null;
  return { width, height, bitsPerChannel: reader.u16(22), isLab: reader.u16(24) === LAB };
}

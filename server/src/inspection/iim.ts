/** The datasets of record 2 that are read. Source: IPTC Information Interchange Model 4.2, chapter 6. */
export const IIM = {
  objectName: 5,
  keywords: 25,
  dateCreated: 55,
  timeCreated: 60,
  byline: 80,
  headline: 105,
  credit: 110,
  copyright: 116,
  caption: 120,
} as const;

const MARKER = 0x1c;
const RECORD = 2;
/** The image resource that contains IIM; each resource begins with "8BIM". */
const IIM_RESOURCE = 0x0404;
const RESOURCE_SIGN = '8BIM';

/** Reads the datasets of record 2; each may repeat. Never reads past the end of the data. */
export function readIim(block: Uint8Array): Map<number, string[]> {
  const data = Buffer.from(block.buffer, block.byteOffset, block.byteLength);
  const found = new Map<number, string[]>();
  const iim = findIim(data);
  for (let at = 0; at + 5 <= iim.length && iim[at] === MARKER; ) {
    const [record, dataset, size] = [iim[at + 1], iim[at + 2] ?? 0, iim.readUInt16BE(at + 3)];
    // If the highest bit of a size is set, it is the length of an extended size field; no text is that long.
    if (size > 0x7fff || at + 5 + size > iim.length) break;
    if (record === RECORD) {
      const value = decodeText(iim.subarray(at + 5, at + 5 + size));
      const values = found.get(dataset);
      if (values) values.push(value);
      else found.set(dataset, [value]);
    }
    at += 5 + size;
  }
  return found;
}

export function findIim(data: Buffer): Buffer {
  if (data[0] === MARKER) return data;
  let at = data.indexOf(RESOURCE_SIGN, 0, 'latin1');
  while (at >= 0 && at + 12 <= data.length) {
    const id = data.readUInt16BE(at + 4);
    const nameBytes = (data[at + 6] ?? 0) + 1;
    const sizeAt = at + 6 + nameBytes + (nameBytes % 2);
    if (sizeAt + 4 > data.length) break;
    const size = data.readUInt32BE(sizeAt);
    const begin = sizeAt + 4;
    if (id === IIM_RESOURCE) return data.subarray(begin, Math.min(data.length, begin + size));
    const next = begin + size + (size % 2);
    at = next > at ? data.indexOf(RESOURCE_SIGN, next, 'latin1') : -1;
  }
  return data.subarray(0, 0);
}

/** Many programs write UTF-8 without declaring it; anything that is not valid UTF-8 is read as Latin-1. */
export function decodeText(bytes: Uint8Array): string {
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(bytes).replace(/\0+$/, '');
  } catch {
    return Buffer.from(bytes).toString('latin1').replace(/\0+$/, '');
  }
}

/** A camera raw file without sensor data, as far as programs need it to find its preview: a TIFF that states it is one. */
export function cameraRaw(preview: Buffer | null, orientation: number): Buffer {
  const main: Entry[] = [
    [254, LONG, 1],
    [271, ASCII, 'Puffin One'],
    [274, SHORT, orientation],
    [50_706, BYTES, Buffer.from([1, 4, 0, 0])],
  ];
  const below: Entry[] = [
    [254, LONG, 1],
    [259, SHORT, 7],
    [262, SHORT, 6],
  ];
  if (preview === null) return layOut([main]);
  return layOut([main, below], preview);
}

const BYTES = 1;
const ASCII = 2;
const SHORT = 3;
const LONG = 4;

type Entry = [tag: number, type: number, value: number | string | Buffer];

/** Source: TIFF 6.0, section 2; SubIFDs (330) as of TIFF Technical Note 1. */
function layOut([main = [], below]: Entry[][], preview?: Buffer): Buffer {
  const bytesOf = (count: number) => 2 + count * 12 + 4;
  const text = Buffer.from(`${main.find(([tag]) => tag === 271)?.[2]}\0`);
  const textAt = 8 + bytesOf(main.length + (below ? 1 : 0));
  const belowAt = textAt + text.length + (text.length % 2);
  const previewAt = belowAt + (below ? bytesOf(below.length + 2) : 0);
  const data = Buffer.alloc(previewAt + (preview?.length ?? 0));
  data.write('II*\0', 'latin1');
  data.writeUInt32LE(8, 4);
  const write = (at: number, entries: Entry[]) => {
    data.writeUInt16LE(entries.length, at);
    entries.sort(([a], [b]) => a - b);
    for (const [n, [tag, type, value]] of entries.entries()) {
      const entryAt = at + 2 + n * 12;
      data.writeUInt16LE(tag, entryAt);
      data.writeUInt16LE(type, entryAt + 2);
      data.writeUInt32LE(
        typeof value === 'number' ? 1 : type === ASCII ? text.length : value.length,
        entryAt + 4,
      );
      if (type === ASCII) data.writeUInt32LE(textAt, entryAt + 8);
      else if (typeof value === 'number') data.writeUInt32LE(value, entryAt + 8);
      else Buffer.from(value).copy(data, entryAt + 8);
    }
  };
  text.copy(data, textAt);
  write(8, below ? [...main, [330, LONG, belowAt]] : main);
  if (below && preview) {
    write(belowAt, [...below, [273, LONG, previewAt], [279, LONG, preview.length]]);
    preview.copy(data, previewAt);
  }
  return data;
}

import { crc32 } from 'node:zlib';
import yazl from 'yazl';
import { collect } from './calls.js';

/** Creates an archive with a general-purpose writer. */
export function zip(files: Record<string, Buffer>): Promise<Buffer> {
  const writer = new yazl.ZipFile();
  for (const [name, data] of Object.entries(files)) writer.addBuffer(data, name);
  writer.end();
  return collect(writer.outputStream);
}

export interface RawEntry {
  name: Buffer;
  data: Buffer;
  flags?: number;
  method?: number;
  attributes?: number;
  statedBytes?: number;
  statedCrc?: number;
  /** The offset of the local header of an entry. */
  sharesWith?: number;
}

/** Writes an archive byte by byte (APPNOTE 4.3), so that its fields can be wrong. */
export function rawZip(entries: RawEntry[]): Buffer {
  const parts: Buffer[] = [];
  const offsets: number[] = [];
  let at = 0;
  const push = (part: Buffer) => {
    parts.push(part);
    at += part.length;
  };
  const shared = (entry: RawEntry) => {
    const fields = Buffer.alloc(22);
    fields.writeUInt16LE(20, 0);
    fields.writeUInt16LE(entry.flags ?? 0, 2);
    fields.writeUInt16LE(entry.method ?? 0, 4);
    fields.writeUInt32LE(entry.statedCrc ?? crc32(entry.data), 10);
    fields.writeUInt32LE(entry.data.length, 14);
    fields.writeUInt32LE(entry.statedBytes ?? entry.data.length, 18);
    return fields;
  };
  for (const [index, entry] of entries.entries()) {
    offsets[index] = entry.sharesWith === undefined ? at : (offsets[entry.sharesWith] ?? 0);
    if (entry.sharesWith !== undefined) continue;
    const head = Buffer.alloc(4);
    head.writeUInt32LE(0x04034b50);
    const tail = Buffer.alloc(4);
    tail.writeUInt16LE(entry.name.length, 0);
    push(Buffer.concat([head, shared(entry), tail, entry.name, entry.data]));
  }
  const start = at;
  for (const [index, entry] of entries.entries()) {
    const head = Buffer.alloc(6);
    head.writeUInt32LE(0x02014b50);
    head.writeUInt16LE(0x031e, 4);
    const tail = Buffer.alloc(18);
    tail.writeUInt16LE(entry.name.length, 0);
    tail.writeUInt32LE(entry.attributes ?? 0, 10);
    tail.writeUInt32LE(offsets[index] ?? 0, 14);
    push(Buffer.concat([head, shared(entry), tail, entry.name]));
  }
  const end = Buffer.alloc(22);
  end.writeUInt32LE(0x06054b50);
  end.writeUInt16LE(entries.length & 0xffff, 8);
  end.writeUInt16LE(entries.length & 0xffff, 10);
  end.writeUInt32LE(at - start, 12);
  end.writeUInt32LE(start, 16);
  return Buffer.concat([...parts, end]);
}

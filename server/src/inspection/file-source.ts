import { closeSync, fstatSync, openSync, readSync } from 'node:fs';
import {
  type ByteSource,
  isTruncated,
  readTiffFacts,
  requireWithin,
  type TiffFacts,
} from '@uniferum/core/inspection';

/** A file on disk that is read synchronously in pieces. In a dedicated process nothing else is blocked. */
export class FileSource implements ByteSource {
  readonly length: number;
  readonly #file: number;

  constructor(path: string) {
    this.#file = openSync(path, 'r');
    this.length = fstatSync(this.#file).size;
  }

  read(offset: number, length: number): Uint8Array {
    requireWithin(this, offset, length);
    const bytes = new Uint8Array(length);
    for (let read = 0; read < length; ) {
      const more = readSync(this.#file, bytes, read, length - read, offset + read);
      if (more === 0) throw new RangeError(`it ends before byte ${offset + length}`);
      read += more;
    }
    return bytes;
  }

  close(): void {
    closeSync(this.#file);
  }
}

/** Whether a picture ends before it is complete. Of a whole one, only the end is read. */
export function endsEarly(path: string, mime: string): boolean {
  return withSource(path, (source) => isTruncated(source, mime));
}

/** How a TIFF stores its picture; null for other types, and for a corrupt one. */
export function tiffFacts(path: string, mime: string): TiffFacts | null {
  return mime === 'image/tiff' ? withSource(path, readTiffFacts) : null;
}

/** Opens a file for as long as it is read. */
export function withSource<T>(path: string, read: (source: FileSource) => T): T {
  const source = new FileSource(path);
  try {
    return read(source);
  } finally {
    source.close();
  }
}

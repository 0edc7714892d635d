import { createHash, hash, webcrypto } from 'node:crypto';
import { open, readFile, stat } from 'node:fs/promises';
import { crc32 } from 'node:zlib';
import { SNIFF_BYTES } from '@uniferum/core/intake';
import type { ByteFacts } from '../shared/byte-store.js';

/** Up to this size a file is hashed whole, off the main thread; larger ones in pieces as they are read. */
const WHOLE_BYTES = 4 * 1024 * 1024;
/** Up to this size, handing the work to another thread costs more than hashing. */
const SMALL_BYTES = 256 * 1024;
const PIECE_BYTES = 1024 * 1024;

/** Reads a file once for its digests, size and first bytes. */
export async function hashFile(path: string): Promise<ByteFacts> {
  return (await stat(path)).size <= WHOLE_BYTES ? hashWhole(await readFile(path)) : hashInPieces(path);
}

/** Computes digests; large inputs off the main thread. */
export async function hashWhole(data: Buffer): Promise<ByteFacts> {
  const digest = data.length <= SMALL_BYTES ? hash('sha256', data) : digestElsewhere(data);
  const checksum = crc32(data);
  return {
    sha256: await digest,
    crc32: checksum.toString(16).padStart(8, '0'),
    bytes: data.length,
    head: Uint8Array.from(data.subarray(0, SNIFF_BYTES)),
  };
}

async function digestElsewhere(data: Buffer): Promise<string> {
  return Buffer.from(await webcrypto.subtle.digest('SHA-256', data)).toString('hex');
}

async function hashInPieces(path: string): Promise<ByteFacts> {
  const digest = createHash('sha256');
  const file = await open(path, 'r');
  const head = Buffer.alloc(SNIFF_BYTES);
  let checksum = 0;
  let bytes = 0;
  try {
    for await (const piece of file.createReadStream({ highWaterMark: PIECE_BYTES, autoClose: false })) {
      if (bytes < SNIFF_BYTES) (piece as Buffer).copy(head, bytes);
      digest.update(piece as Buffer);
      checksum = crc32(piece as Buffer, checksum);
      bytes += (piece as Buffer).length;
    }
  } finally {
    await file.close();
  }
  return {
    sha256: digest.digest('hex'),
    crc32: checksum.toString(16).padStart(8, '0'),
    bytes,
    head: head.subarray(0, Math.min(bytes, SNIFF_BYTES)),
  };
}

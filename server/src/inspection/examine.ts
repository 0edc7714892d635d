import { open } from 'node:fs/promises';
import type { PictureNote } from '@uniferum/core/inspection';
import { needsMoreToSniff, sniffMime } from '@uniferum/core/intake';
import type { EmbeddedMetadata } from '@uniferum/core/library';
import { DECODABLE_MIMES } from '@uniferum/core/recipes';
import type { StagedBytes } from '../shared/byte-store.js';
import type { PictureSize } from './embedded.js';
import type { Inspector } from './inspector.js';

/** What the bytes of a file reveal. */
export interface Found {
  /** The actual type, by content. */
  mime: string;
  size: PictureSize | null;
  /** What its sender is told about it. */
  notes: PictureNote[];
  metadata: EmbeddedMetadata;
  /** Why it cannot be read as the picture it claims to be; null when it can. */
  unreadable: string | null;
  /** Why the embedded metadata of an otherwise valid picture cannot be read. */
  metadataFault: string | null;
}

/** Examines an uploaded file: its actual type and, for pictures, the header and embedded metadata. */
export async function examineBytes(inspector: Inspector, staged: StagedBytes, name: string): Promise<Found> {
  const mime = await sniff(staged, name);
  const isPicture = staged.path !== null && staged.bytes > 0 && DECODABLE_MIMES.includes(mime);
  const inspected =
    isPicture && staged.path !== null ? await inspector.inspect({ path: staged.path, mime }) : null;
  return {
    mime,
    size: inspected?.size ?? null,
    notes: inspected?.notes ?? [],
    metadata: inspected?.metadata ?? {},
    unreadable: inspected?.unreadable ?? null,
    metadataFault: inspected?.metadataFault ?? null,
  };
}

/** Comments and processing instructions may precede the root element that identifies markup; reading stops at this length. */
const MAX_PROLOG_BYTES = 4_000_000;

async function sniff({ path, head, bytes }: StagedBytes, name: string): Promise<string> {
  if (path === null || bytes <= head.length || !needsMoreToSniff(head)) return sniffMime(head, name);
  const file = await open(path, 'r');
  try {
    const more = Buffer.alloc(Math.min(bytes, MAX_PROLOG_BYTES));
    const { bytesRead } = await file.read(more, 0, more.length, 0);
    return sniffMime(more.subarray(0, bytesRead), name);
  } finally {
    await file.close();
  }
}

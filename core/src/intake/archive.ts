import { cleanName } from '../library/names.js';
import { joinPath, MAX_PATH_LENGTH, ROOT_PATH } from '../library/paths.js';
import { formatBytes } from './format.js';

/** One entry of an archive's directory, as stated there. */
export interface ArchiveEntry {
  /** The name as written, with `/` between folders. */
  name: string;
  bytes: number;
  compressedBytes: number;
  /** The offset of its local header. */
  offset: number;
  isEncrypted: boolean;
  isLink: boolean;
  /** Whether the compression method is supported. */
  isReadable: boolean;
}

/** The limits of an archive. */
export interface ArchiveLimits {
  maxEntries: number;
  /** The total of all unpacked files. */
  maxBytes: number;
  /** The highest allowed ratio of unpacked to packed size. */
  maxRatio: number;
}

/** An entry to be imported: its position in the directory, and its target. */
export interface PlannedEntry {
  index: number;
  /** The name of the new asset, as written. */
  name: string;
  folder: string;
  bytes: number;
}

export type ArchivePlan =
  | { ok: true; entries: PlannedEntry[]; ignored: number }
  /** `entry` is the name of the first unsafe entry; null when the archive as a whole is unsafe. */
  | { ok: false; entry: string | null; message: string };

/** An entry smaller than this is not a bomb, whatever its ratio. */
const BOMB_FLOOR_BYTES = 10_000_000;
/** The minimum size of a local header before an entry's data. APPNOTE 4.3.7. */
const LOCAL_HEADER_BYTES = 30;
/** Files that operating systems add to archives. */
const LITTER = /(?:^|\/)(?:__MACOSX(?:\/|$)|\.DS_Store$|Thumbs\.db$|desktop\.ini$|\._[^/]*$)/i;

/**
 * Decides from its directory alone whether an archive is safe to unpack, and where each file goes. One unsafe entry
 * rejects the whole archive: it is either malicious or corrupt.
 *
 * @param folder the stored path of the target folder
 * @param statedEntries the number of entries stated by the archive; if it is too large, `entries` may be left out
 */
export function planArchive(
  entries: readonly ArchiveEntry[],
  folder: string,
  limits: ArchiveLimits,
  statedEntries = entries.length,
): ArchivePlan {
  if (Math.max(entries.length, statedEntries) > limits.maxEntries)
    return whole(
      `It has ${statedEntries.toLocaleString('en-GB')} entries; the limit is ${limits.maxEntries.toLocaleString('en-GB')}.`,
    );
  if (entries.length !== statedEntries)
    return whole(
      `It declares ${statedEntries} entries but contains ${entries.length}. Create the archive again.`,
    );
  let bytes = 0;
  const planned: PlannedEntry[] = [];
  let ignored = 0;
  for (const [index, entry] of entries.entries()) {
    const fault = findFault(entry, limits);
    if (fault !== null) return { ok: false, entry: entry.name, message: fault };
    bytes += entry.bytes;
    if (bytes > limits.maxBytes) return whole(`It unpacks to more than ${formatBytes(limits.maxBytes)}.`);
    const parts = entry.name.replaceAll('\\', '/').split('/');
    const isFolder = parts.at(-1) === '';
    if (isFolder) continue;
    if (LITTER.test(entry.name)) {
      ignored += 1;
      continue;
    }
    const path = parts.slice(0, -1).map(cleanName).reduce(joinPath, folder);
    if (path.length > MAX_PATH_LENGTH)
      return {
        ok: false,
        entry: entry.name,
        message: `Its folder path is longer than ${MAX_PATH_LENGTH} characters.`,
      };
    planned.push({ index, name: parts.at(-1) ?? '', folder: path, bytes: entry.bytes });
  }
  const overlap = findOverlap(entries);
  if (overlap)
    return {
      ok: false,
      entry: overlap.name,
      message: 'It overlaps another entry, which only zip bombs do.',
    };
  return { ok: true, entries: planned, ignored };
}

function whole(message: string): ArchivePlan {
  return { ok: false, entry: null, message };
}

function findFault(entry: ArchiveEntry, { maxRatio }: ArchiveLimits): string | null {
  const name = entry.name.replaceAll('\\', '/');
  if (name === '' || name.includes('\u0000')) return 'Its name is empty or contains a zero byte.';
  if (name.startsWith('/') || /^[a-z]:/i.test(name)) return 'Its name is an absolute path.';
  if (name.split('/').some((part) => part === '..')) return 'Its name points outside the archive.';
  if (entry.isLink) return 'It is a link, not a file.';
  if (entry.isEncrypted) return 'It is encrypted. Create the archive without a password.';
  if (!entry.isReadable) return 'Its compression method is not supported. Use deflate.';
  if (entry.bytes > BOMB_FLOOR_BYTES && entry.bytes > entry.compressedBytes * maxRatio)
    return `It grows from ${formatBytes(entry.compressedBytes)} to ${formatBytes(entry.bytes)}, which only zip bombs do.`;
  return null;
}

/** Entries that share bytes let a small archive expand without bound. Source: D. Fifield, "A better zip bomb" (2019). */
function findOverlap(entries: readonly ArchiveEntry[]): ArchiveEntry | null {
  const byOffset = [...entries].sort((a, b) => a.offset - b.offset);
  for (const [index, entry] of byOffset.entries()) {
    const next = byOffset[index + 1];
    if (next && next.offset < entry.offset + LOCAL_HEADER_BYTES + entry.compressedBytes) return next;
  }
  return null;
}

/** Code page 437 above 127, in which early archivers wrote names. APPNOTE, appendix D. */
const CP437 =
  'ÇüéâäàåçêëèïîìÄÅÉæÆôöòûùÿÖÜ¢£¥₧ƒáíóúñÑªº¿⌐¬½¼¡«»░▒▓│┤╡╢╖╕╣║╗╝╜╛┐└┴┬├─┼╞╟╚╔╩╦╠═╬╧╨╤╥╙╘╒╓╫╪┘┌█▄▌▐▀αßΓπΣσµτΦΘΩδ∞φε∩≡±≥≤⌠⌡÷≈°∙·√ⁿ²■\u00a0';

/**
 * Decodes an entry's name. Names are UTF-8 where the archive says so; many programs write UTF-8 without declaring it,
 * and anything that is not valid UTF-8 is code page 437.
 */
export function decodeEntryName(raw: Uint8Array, saysUtf8: boolean): string {
  try {
    return new TextDecoder('utf-8', { fatal: true, ignoreBOM: true }).decode(raw);
  } catch {
    if (saysUtf8) return new TextDecoder().decode(raw);
    return Array.from(raw, (byte) => (byte < 128 ? String.fromCharCode(byte) : CP437[byte - 128])).join('');
  }
}

/** The folder for an archive unpacked into a folder of its own. */
export function archiveFolder(folder: string, archiveName: string): string {
  const stem = cleanName(archiveName).replace(/\.[a-z0-9]+$/i, '');
  return joinPath(folder === '' ? ROOT_PATH : folder, stem);
}

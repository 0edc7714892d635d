import {
  type AssetTexts,
  type CheckAnswer,
  capturedAt,
  DECODABLE_MIMES,
  type FileFacts,
  type Kind,
  kindOfMime,
  type MetadataMapping,
  sniffMime,
  textsFromMetadata,
} from '@uniferum/core';
import { filledTexts } from '../library/assets.js';
import type { StagedBytes } from '../stores/byte-store.js';
import { askCheck } from './custom-check.js';
import { type PictureSize, readEmbedded, readPictureSize } from './embedded.js';
import { type IncomingFile, type IntakeTools, mappingFor, rulesFor } from './incoming.js';

/** What was found by looking at a file's bytes. */
export interface Examined {
  mime: string;
  kind: Kind;
  size: PictureSize | null;
  texts: AssetTexts;
  capturedAt: string | null;
  unreadable: string | null;
  checked: CheckAnswer | null;
}

/** Looks at a file that has arrived: its true type, its size, its texts, and what the folder's own check says of it. */
export async function examine(
  tools: IntakeTools,
  staged: StagedBytes,
  file: IncomingFile,
): Promise<Examined> {
  const found = await look(staged, file, await mappingFor(tools));
  const { check } = await rulesFor(tools, file.folder);
  if (check === null || staged.path === null || found.unreadable !== null) return found;
  const checked = await askCheck(tools.config, check.value, {
    name: file.name,
    folder: file.folder,
    bytes: staged.bytes,
    mime: found.mime,
    sha256: staged.sha256,
    width: found.size?.width ?? null,
    height: found.size?.height ?? null,
    texts: found.texts,
  });
  return { ...found, checked };
}

/** What a folder's rules judge by. */
export function factsOf(file: IncomingFile, staged: StagedBytes, examined: Examined): FileFacts {
  return {
    name: file.name,
    bytes: staged.bytes,
    mime: examined.mime,
    ...(examined.size && { width: examined.size.width, height: examined.size.height }),
    texts: filledTexts(examined.texts),
    ...(examined.checked && { checked: examined.checked }),
    ...(examined.unreadable !== null && { unreadable: examined.unreadable }),
  };
}

async function look(staged: StagedBytes, file: IncomingFile, mapping: MetadataMapping): Promise<Examined> {
  const mime = file.link ? LINK_MIME : sniffMime(staged.head, file.name);
  const nothing: Examined = {
    mime,
    kind: file.link ? 'link' : kindOfMime(mime),
    size:
      file.link?.width && file.link.height
        ? { width: file.link.width, height: file.link.height, orientation: null }
        : null,
    texts: mergeTexts(textsFromMetadata({}), file.texts),
    capturedAt: file.capturedAt ?? null,
    unreadable: null,
    checked: null,
  };
  const { path } = staged;
  if (path === null || staged.bytes === 0 || !DECODABLE_MIMES.includes(mime)) return nothing;
  try {
    const size = await readPictureSize(path);
    const metadata = await readEmbedded(path);
    return {
      ...nothing,
      size,
      texts: mergeTexts(textsFromMetadata(metadata, mapping), file.texts),
      capturedAt: file.capturedAt ?? capturedAt(metadata, mapping),
    };
  } catch (error) {
    return { ...nothing, unreadable: error instanceof Error ? error.message : String(error) };
  }
}

/** The bytes of a link are its provider's description. oEmbed 1.0, section 2.3.4. */
export const LINK_MIME = 'application/json+oembed';

function mergeTexts(embedded: AssetTexts, sent: Partial<AssetTexts>): AssetTexts {
  return {
    ...embedded,
    ...Object.fromEntries(Object.entries(sent).filter(([, value]) => value !== undefined)),
  };
}

import { kindOfMime } from '@uniferum/core/intake';
import {
  type AssetTexts,
  capturedAt,
  fitTexts,
  type LinkFacts,
  textsFromMetadata,
} from '@uniferum/core/library';
import type { FileFacts } from '@uniferum/core/rules';
import { examineBytes, type Found } from '../inspection/examine.js';
import { askCheck } from '../rules/custom-check.js';
import { filledTexts } from '../rules/facts.js';
import type { StagedBytes } from '../shared/byte-store.js';
import type { Examined, IncomingFile } from './incoming.js';
import { type IntakeTools, mappingFor, rulesFor } from './tools.js';

/** Examines an uploaded file: its actual type, its size, its texts, and the result of the folder's custom check. */
export async function examine(
  tools: IntakeTools,
  staged: StagedBytes,
  file: IncomingFile,
): Promise<Examined> {
  const found = await look(tools, staged, file);
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

/** The facts that a folder's rules depend on. */
export function factsOf(file: IncomingFile, staged: StagedBytes, examined: Examined): FileFacts {
  return {
    name: file.name,
    bytes: staged.bytes,
    mime: examined.mime,
    ...(examined.size && { width: examined.size.width, height: examined.size.height }),
    texts: filledTexts(examined.texts),
    ...(examined.checked && { checked: examined.checked }),
    ...(examined.unreadable !== null && { unreadable: examined.unreadable }),
    notes: examined.notes,
    ...(examined.metadataFault !== null && { metadataFault: examined.metadataFault }),
  };
}

async function look(tools: IntakeTools, staged: StagedBytes, file: IncomingFile): Promise<Examined> {
  const { metadata, ...found } = file.link
    ? describedLink(file.link)
    : await examineBytes(tools.inspector, staged, file.name);
  const mapping = await mappingFor(tools);
  const { texts, shortened } = fitTexts(mergeTexts(textsFromMetadata(metadata, mapping), file.texts));
  return {
    ...found,
    kind: file.link ? 'link' : kindOfMime(found.mime),
    texts,
    shortened,
    capturedAt: file.capturedAt ?? capturedAt(metadata, mapping),
    checked: null,
  };
}

function describedLink({ width, height }: LinkFacts): Found {
  const size = width && height ? { width, height, orientation: null } : null;
  return {
    ...{ mime: LINK_MIME, size, metadata: {}, unreadable: null, metadataFault: null },
    notes: [],
  };
}

/** The bytes of a link are its provider's oEmbed response. oEmbed 1.0, section 2.3.4. */
export const LINK_MIME = 'application/json+oembed';

function mergeTexts(embedded: AssetTexts, sent: Partial<AssetTexts>): AssetTexts {
  return {
    ...embedded,
    ...Object.fromEntries(Object.entries(sent).filter(([, value]) => value !== undefined)),
  };
}

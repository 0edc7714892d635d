import type { IntakeWay, Verdict } from '@uniferum/core/intake';
import {
  type AssetTexts,
  cleanName,
  type Kind,
  type LinkFacts,
  type LongText,
  MAX_SENT_NAME_LENGTH,
} from '@uniferum/core/library';
import type { CheckAnswer } from '@uniferum/core/rules';
import type { PictureSize } from '../inspection/embedded.js';
import type { StagedBytes } from '../shared/byte-store.js';

/** The batch to which files belong. */
export interface IntakeContext {
  id: string;
  /** The stored path of the folder into which files go that state none themselves. */
  folder: string;
  /** Who brings them. */
  by: string;
  via: 'console' | 'api';
  way: IntakeWay;
}

/** A file on its way in, before anything is known of its bytes. */
export interface IncomingFile {
  name: string;
  /** The stored path of its folder. */
  folder: string;
  /** Texts that were sent along; they go before those in the file. */
  texts: Partial<AssetTexts>;
  /** UTC ISO 8601; goes before the one in the file. */
  capturedAt?: string | null;
  link?: LinkFacts;
  /** How long the name was that was sent, when it was shortened. */
  sentNameLength?: number;
}

/** A file whose name can be repeated in answers and records. */
export function withShortName<File extends IncomingFile>(file: File): File {
  const { length } = file.name;
  return length <= MAX_SENT_NAME_LENGTH
    ? file
    : { ...file, name: cleanName(file.name), sentNameLength: length };
}

/** What was found by looking at a file's bytes. */
export interface Examined {
  mime: string;
  kind: Kind;
  size: PictureSize | null;
  texts: AssetTexts;
  /** Texts that were longer than is kept. */
  shortened: LongText[];
  capturedAt: string | null;
  unreadable: string | null;
  /** Why the embedded metadata of a picture that is good otherwise can't be read. */
  metadataFault: string | null;
  checked: CheckAnswer | null;
}

/** The picture, as WebP, that the provider of a link shows for it. */
export interface LinkPreview {
  staged: StagedBytes;
  width: number;
  height: number;
}

/** A file that has arrived whole and was looked at, and is not yet judged for good. */
export interface ReceivedFile {
  file: IncomingFile;
  staged: StagedBytes;
  examined: Examined;
  preview?: LinkPreview;
}

/** What came of one file: its verdict, and the asset when it was not refused. */
export interface TakenIn {
  verdict: Verdict;
  assetId: string | null;
  sha256: string | null;
}

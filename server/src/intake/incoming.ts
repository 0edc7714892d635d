import type { PictureNote } from '@uniferum/core/inspection';
import type { IntakeWay, Verdict } from '@uniferum/core/intake';
import {
  type AssetTexts,
  cleanName,
  type Kind,
  type LinkFacts,
  type LongText,
  MAX_SENT_NAME_LENGTH,
  withoutDirectionMarks,
} from '@uniferum/core/library';
import type { CheckAnswer } from '@uniferum/core/rules';
import type { PictureSize } from '../inspection/embedded.js';
import type { StagedBytes } from '../shared/byte-store.js';

/** The batch that files belong to. */
export interface IntakeContext {
  id: string;
  /** The stored path of the default folder, for files that state none. */
  folder: string;
  /** Who sends them. */
  by: string;
  via: 'console' | 'api';
  way: IntakeWay;
}

/** A file to be imported, before its bytes are known. */
export interface IncomingFile {
  name: string;
  /** The stored path of its folder. */
  folder: string;
  /** Texts sent along; they take precedence over those in the file. */
  texts: Partial<AssetTexts>;
  /** UTC ISO 8601; takes precedence over the time in the file. */
  capturedAt?: string | null;
  link?: LinkFacts;
  /** The original length of a shortened name. */
  sentNameLength?: number;
  /** Its name was sent with characters that change the direction of text. */
  hadDirectionMarks?: boolean;
  /** It is refused rather than renamed when its name is taken. */
  mustKeepName?: boolean;
}

/** A file whose name can safely be repeated in answers and records. */
export function withSafeName<File extends IncomingFile>(file: File): File {
  const { length } = file.name;
  const name = withoutDirectionMarks(file.name);
  const unmarked = name === file.name ? file : { ...file, name, hadDirectionMarks: true };
  return length <= MAX_SENT_NAME_LENGTH
    ? unmarked
    : { ...unmarked, name: cleanName(name), sentNameLength: length };
}

/** The result of inspecting a file's bytes. */
export interface Examined {
  mime: string;
  kind: Kind;
  size: PictureSize | null;
  notes: PictureNote[];
  texts: AssetTexts;
  /** Texts that exceeded the maximum length. */
  shortened: LongText[];
  capturedAt: string | null;
  unreadable: string | null;
  /** Why the embedded metadata of an otherwise valid picture cannot be read. */
  metadataFault: string | null;
  checked: CheckAnswer | null;
}

/** The preview of a link from its provider, as WebP. */
export interface LinkPreview {
  staged: StagedBytes;
  width: number;
  height: number;
}

/** A received and inspected file, before the final verdict. */
export interface ReceivedFile {
  file: IncomingFile;
  staged: StagedBytes;
  examined: Examined;
  preview?: LinkPreview;
}

/** The result for one file: its verdict, and the asset unless it was refused. */
export interface TakenIn {
  verdict: Verdict;
  assetId: string | null;
  sha256: string | null;
}

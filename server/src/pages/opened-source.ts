import type { DocumentFormat, Edit } from '@uniferum/core/pages';
import type { Inspector } from '../inspection/inspector.js';
import type { DocumentContent } from '../inspection/work.js';
import type { Config } from '../shared/config.js';
import type { Database } from '../shared/database.js';
import type { StoredReference } from './document-queries.js';
import type { ListedDocument } from './source.js';

/** What reading and writing sources requires. */
export interface IndexTools {
  db: Database;
  config: Pick<Config, 'sourceDirs' | 'publicUrl' | 'mediaUrl' | 'allowedHosts' | 'masterKey'>;
  inspector: Inspector;
}

/** A document as it is now; it may have changed since it was listed. */
export interface PresentDocument extends ListedDocument {
  /** Its address; null when that isn't known. */
  url: string | null;
  /** Known from elsewhere than its text; null otherwise. */
  title: string | null;
  format: DocumentFormat;
  content: DocumentContent;
  /** Its digest, where it was computed elsewhere; see `contentDigest`. */
  digest?: string;
  /** References that are no addresses in it. */
  more?: readonly StoredReference[];
  /** Why it isn't read. */
  fault: string | null;
}

/** Edits of a document, with its digests before and after them. */
export interface DocumentChange {
  path: string;
  edits: readonly Edit[];
  before: string;
  after: string;
  /** Its bytes before, when they were just read. */
  bytes?: Uint8Array;
}

/** What came of writing a document: `changed` by somebody else, and left as it is. */
export type WriteOutcome = { kind: 'written' | 'changed' | 'gone' } | { kind: 'failed'; message: string };

/** A source whose documents can be listed, read and written. */
export interface OpenedSource {
  /** The address of the site that its documents belong to; null when that isn't known. */
  siteUrl: string | null;
  /** How it is called in messages: a path, or the name of a table. */
  place: string;
  /** Whether documents with the same stamp have the same content, whoever wrote them. */
  isStampedByContent?: boolean;
  list(): Promise<ListedDocument[]>;
  /** Reads documents, some at a time. Those that are gone are left out. */
  present(paths: readonly string[]): AsyncGenerator<PresentDocument[]>;
  /**
   * Applies edits to documents whose digest is `before`; those whose digest is `after` have them already.
   *
   * @returns what came of each, in order
   */
  write(changes: readonly DocumentChange[]): Promise<WriteOutcome[]>;
  /**
   * What belongs to documents whose digest still is what was written, so that they need not be read again; others are left
   * out. Sources without it read them again.
   */
  confirm?(written: readonly DocumentChange[]): Promise<ConfirmedDocument[]>;
  close(): Promise<void>;
}

/** A document as it was written, with what belongs to it. */
export type ConfirmedDocument = Pick<PresentDocument, 'path' | 'stamp' | 'url' | 'title'>;

/** Writes documents one after the other. */
export async function writeEach(
  changes: readonly DocumentChange[],
  write: (change: DocumentChange) => Promise<WriteOutcome>,
): Promise<WriteOutcome[]> {
  const outcomes: WriteOutcome[] = [];
  for (const change of changes) outcomes.push(await write(change));
  return outcomes;
}

/** Why a source can't be opened, in a sentence that says what to do. */
export class SourceFault extends Error {}

/** Larger documents are not read. */
export const MAX_DOCUMENT_BYTES = 50_000_000;
export const TOO_LARGE = 'it has more than 50 MB';
/** A longer address is not stored. */
export const MAX_ADDRESS = 2000;

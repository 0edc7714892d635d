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
  /** References that are no addresses in it. */
  more?: readonly StoredReference[];
  /** Why it isn't read. */
  fault: string | null;
}

/** Edits of a document, with its digests before and after them. */
export interface DocumentChange {
  edits: readonly Edit[];
  before: string;
  after: string;
}

/** What came of writing a document: `changed` by somebody else, and left as it is. */
export type WriteOutcome = { kind: 'written' | 'changed' | 'gone' } | { kind: 'failed'; message: string };

/** A source whose documents can be listed, read and written. */
export interface OpenedSource {
  /** The address of the site that its documents belong to; null when that isn't known. */
  siteUrl: string | null;
  /** How it is called in messages: a path, or the name of a table. */
  place: string;
  list(): Promise<ListedDocument[]>;
  /** Reads documents, some at a time. Those that are gone are left out. */
  present(paths: readonly string[]): AsyncGenerator<PresentDocument[]>;
  /** Applies edits to a document whose digest is `before`; one whose digest is `after` has them already. */
  write(path: string, change: DocumentChange): Promise<WriteOutcome>;
  close(): Promise<void>;
}

/** Why a source can't be opened, in a sentence that says what to do. */
export class SourceFault extends Error {}

/** Larger documents are not read. */
export const MAX_DOCUMENT_BYTES = 50_000_000;
export const TOO_LARGE = 'it has more than 50 MB';
/** A longer address is not stored. */
export const MAX_ADDRESS = 2000;

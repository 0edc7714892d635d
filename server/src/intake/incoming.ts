import type { AssetTexts, IntakeWay, LinkFacts, Verdict } from '@uniferum/core';
import type { App } from '../app.js';
import type { StagedBytes } from '../stores/byte-store.js';
import type { Examined } from './examine.js';

/** What taking in needs of the installation; server and workers both have it. */
export type IntakeTools = Pick<App, 'db' | 'store' | 'config'>;

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
}

/** A file that has arrived whole and was looked at, and is not yet judged for good. */
export interface ReceivedFile {
  file: IncomingFile;
  staged: StagedBytes;
  examined: Examined;
}

/** What came of one file: its verdict, and the asset when it was not refused. */
export interface TakenIn {
  verdict: Verdict;
  assetId: string | null;
  sha256: string | null;
}

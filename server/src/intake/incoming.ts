import type {
  AssetTexts,
  EffectiveRules,
  IntakeWay,
  LinkFacts,
  MetadataMapping,
  Verdict,
} from '@uniferum/core';
import type { App } from '../app.js';
import { readMapping } from '../library/settings-queries.js';
import { effectiveRules } from '../rules/service.js';
import type { StagedBytes } from '../stores/byte-store.js';
import type { Examined } from './examine.js';

/** What taking in needs of the installation; server and workers both have it. */
export interface IntakeTools extends Pick<App, 'db' | 'store' | 'config'> {
  /** What was looked up for the files of one batch; see {@link forBatch}. */
  known?: KnownForBatch;
}

interface KnownForBatch {
  rules: Map<string, Promise<EffectiveRules>>;
  mapping: Promise<MetadataMapping> | null;
}

/**
 * Lets the files of one batch share what is looked up for each of them. Rules that change meanwhile hold all the same:
 * the definite judgement reads them afresh, with the folder held.
 */
export function forBatch(tools: IntakeTools): IntakeTools {
  return { ...tools, known: { rules: new Map(), mapping: null } };
}

/** The rules of a folder, looked up once for a batch. */
export function rulesFor({ db, known }: IntakeTools, folder: string): Promise<EffectiveRules> {
  const found = known?.rules.get(folder) ?? effectiveRules(db, folder);
  known?.rules.set(folder, found);
  return found;
}

/** Which fields fill which texts, looked up once for a batch. */
export function mappingFor({ db, known }: IntakeTools): Promise<MetadataMapping> {
  const found = known?.mapping ?? readMapping(db);
  if (known) known.mapping = found;
  return found;
}

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

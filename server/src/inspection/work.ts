import type { PictureNote, Piece } from '@uniferum/core/inspection';
import type { ManifestMapping, ManifestPlan } from '@uniferum/core/intake';
import type { EmbeddedMetadata } from '@uniferum/core/library';
import type { AddressRules, DocumentFormat, Edit, MovedStyles, ShownEdit } from '@uniferum/core/pages';
import type { PictureSize } from './embedded.js';

/** A picture to be inspected. */
export interface FileToInspect {
  path: string;
  mime: string;
}

/** A request to an inspection process. */
export type InspectionWork =
  | { kind: 'inspect'; files: FileToInspect[] }
  | { kind: 'discover'; path: string }
  | { kind: 'clean'; path: string; mime: string; keep: 'rights' | 'none' }
  | { kind: 'manifest'; path: string; mapping: ManifestMapping | null; folder: string; outPath: string }
  | ({ kind: 'documents'; files: DocumentToRead[] } & Reporting)
  | ({ kind: 'rewrite'; files: DocumentToRewrite[] } & Reporting & RewritePlan)
  | ({ kind: 'styles' } & StylesToMove)
  | { kind: 'shrink'; path: string; sizePx: number; outPath: string; maxPixels: number };

/** How the results of documents are reported. */
export interface Reporting {
  /** Each by itself, so that it is known which one ended the process; otherwise many at a time. */
  isReportedSingly: boolean;
}

/** One JSON line of a manifest plan: a row or a fault, in manifest order. */
export type PlannedLine = { row: ManifestPlan['rows'][number] } | { fault: ManifestPlan['faults'][number] };

/** Where the bytes of a document are. */
export type DocumentContent = { file: string } | { bytes: Uint8Array };

/** A document whose references are to be found. */
export interface DocumentToRead {
  content: DocumentContent;
  format: DocumentFormat;
}

/** A document whose addresses are to be replaced. */
export interface DocumentToRewrite extends DocumentToRead {
  /** Its address; null when that isn't known. */
  url: string | null;
}

/** A style sheet that is to be served from another place, together with its folder. */
export interface StylesToMove {
  file: string;
  /** Below the folder. */
  path: string;
  /** Where the folder is served now, with a slash at its end. */
  siteUrl: string;
  /** The files of the folder. */
  paths: string[];
}

/** A style sheet as it is to be served, each byte as the character of that number, with its encoding. */
export type StylesMoved = MovedStyles & { encoding: string };

/** How addresses are replaced. */
export interface RewritePlan {
  rules: AddressRules;
  /** The absolute address of the site. */
  site: string;
  /** The plan is looked at, and not carried out. */
  isShown: boolean;
  /** The run that the rules are those of; null when they are not stored. */
  run: string | null;
}

/** The edits of a document. */
export interface PlannedRewrite {
  edits: Edit[];
  /** The first of them, as they are shown; empty when nobody looks at them. */
  shown: ShownEdit[];
  /** The digest of the document before and after; see `contentDigest`. */
  before: string;
  after: string;
  /** What is found in it afterwards; null when it stays as it is, or when nothing is going to be written. */
  read: ReadDocument | null;
}

/** What was found in a document. */
export interface ReadDocument {
  /** A label of the WHATWG Encoding standard. */
  encoding: string;
  title: string | null;
  base: string | null;
  references: { from: number; attribute: string; address: string }[];
}

/** The result for one file of a batch. The size is reported first, because reading the metadata may crash the process. */
export type InspectionPart = { n: number } & (
  | { found: 'documents'; documents: DocumentPart[] }
  | { found: 'size'; size: PictureSize | null; pages: number; notes: PictureNote[] }
  | { found: 'metadata'; metadata: EmbeddedMetadata }
  | { found: 'fault'; reason: string }
);

/** The result for one document. */
export type DocumentPart = { n: number } & (
  | { found: 'document'; document: ReadDocument }
  | { found: 'rewrite'; rewrite: PlannedRewrite }
  | { found: 'fault'; reason: string }
);

export interface ShrunkPicture {
  width: number;
  height: number;
}

/** The final result; batch results have been sent in parts before. */
export type InspectionResult =
  | { address: string | null }
  | ShrunkPicture
  | Omit<ManifestPlan, 'rows' | 'faults'>
  | { pieces: Piece[] }
  | StylesMoved
  | null;

import type { Piece } from '@uniferum/core/inspection';
import type { ManifestMapping, ManifestPlan } from '@uniferum/core/intake';
import type { EmbeddedMetadata } from '@uniferum/core/library';
import type { PictureSize } from './embedded.js';

/** A picture that is to be looked at. */
export interface FileToInspect {
  path: string;
  mime: string;
}

/** What an inspecting process is asked to do. */
export type InspectionWork =
  | { kind: 'inspect'; files: FileToInspect[] }
  | { kind: 'discover'; path: string }
  | { kind: 'clean'; path: string; mime: string; keep: 'rights' | 'none' }
  | { kind: 'manifest'; path: string; mapping: ManifestMapping | null; folder: string; outPath: string }
  | { kind: 'shrink'; path: string; sizePx: number; outPath: string; maxPixels: number };

/** A line of the file into which a manifest's plan is written, as JSON: rows and faults in the order of the manifest. */
export type PlannedLine = { row: ManifestPlan['rows'][number] } | { fault: ManifestPlan['faults'][number] };

/** What was found of one file of a batch; the size comes first, because the metadata may cost the process its life. */
export type InspectionPart = { n: number } & (
  | { found: 'size'; size: PictureSize; pages: number }
  | { found: 'metadata'; metadata: EmbeddedMetadata }
  | { found: 'fault'; reason: string }
);

export interface ShrunkPicture {
  width: number;
  height: number;
}

/** What comes at the end; of a batch everything has come in parts by then. */
export type InspectionResult =
  | { address: string | null }
  | ShrunkPicture
  | Omit<ManifestPlan, 'rows' | 'faults'>
  | { pieces: Piece[] }
  | null;

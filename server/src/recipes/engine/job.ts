import type { FocalPoint } from '@uniferum/core/library';
import type { Recipe } from '@uniferum/core/recipes';
import type { MarkFile } from './marks.js';
import type { SourceFile } from './sources.js';

/** A request to a rendering process. Everything in it can be cloned structurally. */
export interface RenderJob {
  file: SourceFile & { sha256: string };
  recipes: Recipe[];
  focal: FocalPoint | null;
  /** The watermarks of the recipes by path in the library. */
  marks: Record<string, MarkFile>;
  /** Also analyses the file itself: its placeholder, its perceptual hash, its duration. */
  look: boolean;
  /** The maximum number of pixels to decode. */
  maxPixels: number;
  /** Keeps the decoded picture for the next job on the same file: for interactive previews. */
  keepDecoded?: boolean;
}

/** One file that was made. */
export interface MadeFile {
  recipe: string;
  /** Null for the recipe's main file. */
  variant: string | null;
  mime: string;
  width: number;
  height: number;
  data: Uint8Array;
  quality: number | null;
  likeness: number | null;
}

/** One file written to a folder, with what the store needs to know about it. */
export interface WrittenFile extends Omit<MadeFile, 'data'> {
  path: string;
  sha256: string;
  crc32: string;
  bytes: number;
}

/** The result of a job. Each recipe is either among `made` or among `failed`. */
export interface RenderResult<File = MadeFile> {
  made: File[];
  failed: { recipe: string; reason: string; code: string }[];
  /** How long each recipe took, in milliseconds, including its share of decoding. */
  workMs: Record<string, number>;
  placeholder: string | null;
  phash: string | null;
  /** Seconds, for audio and video. */
  duration: number | null;
}

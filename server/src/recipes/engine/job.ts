import type { FocalPoint } from '@uniferum/core/library';
import type { Recipe } from '@uniferum/core/recipes';
import type { MarkFile } from './marks.js';
import type { SourceFile } from './sources.js';

/** What a rendering process is asked to do. Everything in it survives structured cloning. */
export interface RenderJob {
  file: SourceFile & { sha256: string };
  recipes: Recipe[];
  focal: FocalPoint | null;
  /** The pictures that the recipes lay over others, by their paths in the library. */
  marks: Record<string, MarkFile>;
  /** Looks at the file itself as well: its placeholder, its perceptual hash, its length. */
  look: boolean;
  /** The most pixels that are decoded. */
  maxPixels: number;
  /** Keeps the decoded picture for the next job on the same file: for somebody who tries things out. */
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

/** One file that was made and written to a folder, with what the store needs to know of it. */
export interface WrittenFile extends Omit<MadeFile, 'data'> {
  path: string;
  sha256: string;
  crc32: string;
  bytes: number;
}

/** What came of a job. A recipe is either among `made` or among `failed`. */
export interface RenderResult<File = MadeFile> {
  made: File[];
  failed: { recipe: string; reason: string; code: string }[];
  /** How long each recipe took, in milliseconds, decoding shared out among them. */
  workMs: Record<string, number>;
  placeholder: string | null;
  phash: string | null;
  /** Seconds, of sounds and films. */
  duration: number | null;
}

import type { Verdict } from './verdict.js';

/** The ways in which files come. */
export const INTAKE_WAYS = [
  'upload',
  'resumable',
  'archive',
  'inbox',
  'address',
  'manifest',
  'link',
] as const;
export type IntakeWay = (typeof INTAKE_WAYS)[number];

/** One intake: a batch of files that came together, with a verdict per file. */
export interface Intake {
  id: string;
  folder: string;
  by: string;
  via: 'console' | 'api';
  way: IntakeWay;
  /** What was brought in: an archive's name, a manifest's; null where there is no such thing. */
  label: string | null;
  /** The run that works on it; null when it came in by requests alone. */
  run: string | null;
  startedAt: string;
  updatedAt: string;
  accepted: number;
  warned: number;
  refused: number;
  bytes: number;
}

/** One file of an intake. `asset` is null when it was refused. */
export interface IntakeFile {
  id: string;
  verdict: Verdict;
  bytes: number;
  asset: { id: string; name: string; url: string } | null;
  at: string;
}

/** How many files one request takes at most, and how many bytes after which a new one starts. */
export const CHUNK_LIMITS = { files: 20, bytes: 64 * 1024 * 1024 } as const;

/**
 * Cuts a batch into requests that are sent one after the other. Their order is the batch's own, so that "the first
 * gets in and the second does not" holds; a broken connection repeats one request and not the batch.
 */
export function chunkBatch<File extends { bytes: number }>(
  files: readonly File[],
  limits: { files: number; bytes: number } = CHUNK_LIMITS,
): File[][] {
  const chunks: File[][] = [];
  let current: File[] = [];
  let bytes = 0;
  for (const file of files) {
    if (current.length > 0 && (current.length >= limits.files || bytes + file.bytes > limits.bytes)) {
      chunks.push(current);
      current = [];
      bytes = 0;
    }
    current.push(file);
    bytes += file.bytes;
  }
  if (current.length > 0) chunks.push(current);
  return chunks;
}

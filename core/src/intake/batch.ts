import type { Verdict } from './verdict.js';

/** The ways in which files arrive. */
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

/** One intake: a batch of files with a verdict for each. */
export interface Intake {
  id: string;
  folder: string;
  by: string;
  via: 'console' | 'api';
  way: IntakeWay;
  /** The name of an archive or manifest; null otherwise. */
  label: string | null;
  /** The run that processes it; null when it arrived in requests only. */
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

/** The maximum number of files per request, and the number of bytes after which a new request starts. */
export const CHUNK_LIMITS = { files: 20, bytes: 64 * 1024 * 1024 } as const;

/**
 * Splits a batch into requests that are sent in order, so that the first of two conflicting files is accepted and the
 * second is not; a broken connection repeats one request and not the batch.
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

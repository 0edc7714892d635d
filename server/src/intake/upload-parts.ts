import type { Fields } from '../inspection/multipart.js';
import type { StagedBytes } from '../shared/byte-store.js';
import type { BegunBatch } from './batches.js';
import type { IncomingFile, IntakeContext, TakenIn } from './incoming.js';
import type { ArrivedFile } from './take-in.js';

/** The result of one part of an upload; stored in the same commit as the file, so that a retry finds it. */
export type PartResult =
  | { kind: 'file'; taken: TakenIn; intake: IntakeContext }
  | { kind: 'archive'; batch: BegunBatch };

/** A file that waits to be stored together with others. */
export interface WaitingFile extends ArrivedFile {
  n: number;
  digest: string;
  file: IncomingFile;
  /** The fields that were sent before it. */
  before: Fields;
}

/** A file that came before the field with its folder. */
export interface HeldFile {
  n: number;
  name: string;
  staged: StagedBytes;
  before: Fields;
}

import type { Verdict } from '@uniferum/core/intake';

/** The result of a resumable upload. */
export interface UploadOutcome {
  verdict: Verdict;
  asset: string | null;
  /** The batch and run that unpack it, when it is an archive. */
  intake: string | null;
  run: string | null;
}

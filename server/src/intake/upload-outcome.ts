import type { Verdict } from '@uniferum/core/intake';

/** What came of a resumable upload. */
export interface UploadOutcome {
  verdict: Verdict;
  asset: string | null;
  /** The batch and the run that unpack it, when it is an archive that is unpacked. */
  intake: string | null;
  run: string | null;
}

/** The reasons in verdicts. Codes are public and never reused. */
export const REASON_CODES = [
  'too-large',
  'too-many',
  'type-denied',
  'type-not-allowed',
  'too-few-pixels',
  'too-many-pixels',
  'text-missing',
  'name-invalid',
  'name-taken',
  'name-cleaned',
  'duplicate',
  'type-mismatch',
  'unreadable',
  'truncated',
  'empty',
  'archive-unsafe',
  'incomplete',
  'address-failed',
  'custom-check',
  'text-shortened',
  'metadata-unreadable',
  'not-storable',
  'reduced',
  'not-showable',
] as const;

export type ReasonCode = (typeof REASON_CODES)[number];

/** One reason of a verdict. `folder` is the path of the folder with the rule, null when it is not from a rule. */
export interface Reason {
  code: ReasonCode;
  message: string;
  limit: number | string | null;
  actual: number | string | null;
  folder: string | null;
}

export type Outcome = 'accepted' | 'warned' | 'refused';

/** The result of checking one file. */
export interface Verdict {
  name: string;
  outcome: Outcome;
  reasons: Reason[];
}

/** Adds a warning to a verdict; a refusal stays a refusal. */
export function withWarning(verdict: Verdict, reason: Reason): Verdict {
  return {
    ...verdict,
    outcome: verdict.outcome === 'refused' ? 'refused' : 'warned',
    reasons: [...verdict.reasons, reason],
  };
}

/** Turns a verdict into a refusal, with one more reason. */
export function withRefusal(verdict: Verdict, reason: Reason): Verdict {
  return { ...verdict, outcome: 'refused', reasons: [...verdict.reasons, reason] };
}

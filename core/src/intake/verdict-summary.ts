import type { Outcome, ReasonCode, Verdict } from './verdict.js';

/** Each reason in a word or two, for use after a count: "36 no room". */
export const REASON_WORDS: Record<ReasonCode, string> = {
  'too-large': 'too large',
  'too-many': 'no room',
  'type-denied': 'type',
  'type-not-allowed': 'type',
  'too-few-pixels': 'too few pixels',
  'too-many-pixels': 'too many pixels',
  'text-missing': 'text missing',
  'name-invalid': 'invalid name',
  'name-taken': 'name taken',
  'name-cleaned': 'name cleaned',
  duplicate: 'duplicate',
  'type-mismatch': 'content does not match',
  unreadable: 'unreadable',
  truncated: 'truncated',
  reduced: 'reduced',
  'not-showable': 'without a preview',
  empty: 'empty',
  'archive-unsafe': 'unsafe archive',
  incomplete: 'incomplete',
  'address-failed': 'not fetched',
  'custom-check': 'custom check',
  'text-shortened': 'text shortened',
  'metadata-unreadable': 'metadata unreadable',
  'not-storable': 'not storable',
};

/** How many files had each outcome, and why files were refused. */
export interface VerdictSummary extends Record<Outcome, number> {
  /** Each refused file counts once, by its first reason; most frequent reason first. */
  refusals: { words: string; files: number }[];
}

/** Counts verdicts by outcome, and refused ones by reason. */
export function summarizeVerdicts(verdicts: readonly Verdict[]): VerdictSummary {
  const summary: VerdictSummary = { accepted: 0, warned: 0, refused: 0, refusals: [] };
  const files = new Map<string, number>();
  for (const { outcome, reasons } of verdicts) {
    summary[outcome] += 1;
    if (outcome !== 'refused') continue;
    const words = reasons[0] ? REASON_WORDS[reasons[0].code] : 'no reason given';
    files.set(words, (files.get(words) ?? 0) + 1);
  }
  summary.refusals = [...files]
    .map(([words, count]) => ({ words, files: count }))
    .sort((a, b) => b.files - a.files || (a.words < b.words ? -1 : 1));
  return summary;
}

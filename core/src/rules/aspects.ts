import type { Reason, ReasonCode, Verdict } from '../intake/verdict.js';

/** What a change to an existing file affects. */
export type RuledAspect = 'texts' | 'name' | 'content';

/** The refusals that each kind of change can cause. A change of folder can cause all of them. */
const CODES: Record<RuledAspect, ReadonlySet<ReasonCode>> = {
  texts: new Set(['text-missing']),
  name: new Set(['type-denied', 'type-not-allowed']),
  content: new Set([
    'empty',
    'unreadable',
    'too-large',
    'type-denied',
    'type-not-allowed',
    'too-few-pixels',
    'too-many-pixels',
    'duplicate',
    'custom-check',
  ]),
};

/** Lists the refusals of a verdict that concern an aspect. */
export function refusalsAbout({ outcome, reasons }: Verdict, aspect: RuledAspect): Reason[] {
  return outcome === 'refused' ? reasons.filter(({ code }) => CODES[aspect].has(code)) : [];
}

/**
 * Lists the refusals caused by a change: files that were there before a rule may stay and be edited, as long as the
 * change adds no violation.
 */
export function newRefusals(before: Verdict, after: Verdict): Reason[] {
  if (after.outcome !== 'refused') return [];
  const known = before.outcome === 'refused' ? before.reasons : [];
  return after.reasons.filter(
    ({ code, limit }) => !known.some((one) => one.code === code && one.limit === limit),
  );
}

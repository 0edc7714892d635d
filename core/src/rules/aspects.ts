import type { Reason, ReasonCode, Verdict } from '../intake/verdict.js';

/** What a change of a present file is about. */
export type RuledAspect = 'texts' | 'name' | 'content';

/** Which refusals a change can bring about. A change of the folder can bring about all of them. */
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

/** Lists the refusals of a verdict that are about an aspect. */
export function refusalsAbout({ outcome, reasons }: Verdict, aspect: RuledAspect): Reason[] {
  return outcome === 'refused' ? reasons.filter(({ code }) => CODES[aspect].has(code)) : [];
}

/**
 * Lists the refusals that a change brings about: files that were there before a rule came may stay as they are, and be
 * edited, as long as the change makes nothing worse.
 */
export function newRefusals(before: Verdict, after: Verdict): Reason[] {
  if (after.outcome !== 'refused') return [];
  const known = before.outcome === 'refused' ? before.reasons : [];
  return after.reasons.filter(
    ({ code, limit }) => !known.some((one) => one.code === code && one.limit === limit),
  );
}

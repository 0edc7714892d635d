import { formatBeyond, formatCount } from '../intake/format.js';
import { type Reason, type Verdict, withRefusal } from '../intake/verdict.js';
import { splitName } from '../library/names.js';
import type { FileFacts } from './evaluate.js';
import { isAllowed, shownTypes } from './types.js';

/** How a token limits what is uploaded with it, besides the rules of the folder. */
export interface TokenLimits {
  /** In bytes. */
  maxBytes: number | null;
  /** The number of files, of all uploads together. */
  maxItems: number | null;
  /** Extensions, media types and wildcards; empty for all. */
  allow: readonly string[];
}

/** Adds to a verdict what the token refuses. @param used how many files were uploaded with it before */
export function withTokenLimits(
  verdict: Verdict,
  file: FileFacts,
  limits: TokenLimits,
  used: number,
): Verdict {
  const refusals = judgeByToken(file, limits, used);
  // As elsewhere, what is refused has no warnings beside the reasons.
  const before = refusals.length > 0 && verdict.outcome !== 'refused' ? { ...verdict, reasons: [] } : verdict;
  return refusals.reduce(withRefusal, before);
}

/** The same for several files in order: each that is accepted uses up capacity for the next ones. */
export function limitByToken(
  verdicts: readonly Verdict[],
  files: readonly FileFacts[],
  limits: TokenLimits,
  used: number,
): Verdict[] {
  let items = used;
  return verdicts.map((verdict, n) => {
    const limited = withTokenLimits(verdict, files[n] as FileFacts, limits, items);
    if (limited.outcome !== 'refused') items += 1;
    return limited;
  });
}

function judgeByToken(file: FileFacts, { maxBytes, maxItems, allow }: TokenLimits, used: number): Reason[] {
  const { name, bytes, mime = null } = file;
  const found: Reason[] = [];
  if (maxBytes !== null && bytes > maxBytes) {
    const { actual, allowed } = formatBeyond(bytes, maxBytes);
    found.push({
      ...{ code: 'too-large', limit: maxBytes, actual: bytes, folder: null },
      message: `${name} has ${actual}; files up to ${allowed} can be uploaded here.`,
    });
  }
  if (allow.length > 0 && !isAllowed([...allow], shownTypes(name, mime))) {
    const list = allow.join(', ');
    const actual = mime ?? splitName(name).extension;
    found.push({
      ...{ code: 'type-not-allowed', limit: list, actual, folder: null },
      message: `${name} is ${actual === '' ? 'without an extension' : actual}; only ${list} can be uploaded here.`,
    });
  }
  if (maxItems !== null && used >= maxItems)
    found.push({
      ...{ code: 'too-many', limit: maxItems, actual: used + 1, folder: null },
      message: `${name} is one too many: ${formatCount(maxItems, 'file')} can be uploaded here, and ${used} were.`,
    });
  return found;
}

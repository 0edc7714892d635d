import type { Edit } from './rewrite.js';

/** A change as it is shown in a rehearsal. */
export interface ShownEdit {
  /** Counted from 1. */
  line: number;
  /** What stands before and behind the change on its line, shortened. */
  lead: string;
  before: string;
  after: string;
  trail: string;
}

/** Lines of documents can be as long as the document. */
const CONTEXT = 60;

/** Shows changes with their lines, in order. Takes time by the length of the document once. */
export function showEdits(text: string, edits: readonly Edit[], most: number): ShownEdit[] {
  const shown: ShownEdit[] = [];
  let line = 1;
  let counted = 0;
  for (const { from, to, before, after } of edits.slice(0, most)) {
    for (let at = text.indexOf('\n', counted); at >= 0 && at < from; at = text.indexOf('\n', at + 1)) {
      line += 1;
      counted = at + 1;
    }
    const lineFrom = Math.max(counted, from - CONTEXT);
    const lineEnd = text.indexOf('\n', to);
    const trailTo = Math.min(lineEnd < 0 ? text.length : lineEnd, to + CONTEXT);
    shown.push({
      line,
      lead: `${lineFrom > counted ? '…' : ''}${text.slice(lineFrom, from)}`,
      before,
      after,
      trail: `${text.slice(to, trailTo).replace(/\r$/, '')}${trailTo < (lineEnd < 0 ? text.length : lineEnd) ? '…' : ''}`,
    });
  }
  return shown;
}

import { toAscii } from './address.js';
import type { Reference } from './reference.js';

/** A change of a part of a document. Offsets are those of the document before the change. */
export interface Edit {
  from: number;
  to: number;
  before: string;
  after: string;
}

/** The changes of a document, and the references that are in it afterwards. */
export interface DocumentRewrite {
  edits: Edit[];
  /** As they would be found; in Markdown there may be others, because an address can decide what its surroundings are. */
  references: Pick<Reference, 'from' | 'attribute' | 'address'>[];
}

/** Plans the changes of a document. `replacementFor` returns the new address of a reference, or null to leave it. */
export function planRewrite(
  text: string,
  references: readonly Reference[],
  replacementFor: (reference: Reference) => string | null,
): DocumentRewrite {
  const edits: Edit[] = [];
  const moved: DocumentRewrite['references'] = [];
  let shift = 0;
  for (const reference of references) {
    const { from, to, attribute, escaper } = reference;
    const replacement = replacementFor(reference);
    const address = replacement === null ? reference.address : toAscii(replacement);
    moved.push({ from: from + shift, attribute, address });
    if (replacement === null) continue;
    const [before, after] = [text.slice(from, to), escaper(address)];
    if (before === after) continue;
    edits.push({ from, to, before, after });
    shift += after.length - before.length;
  }
  return { edits, references: moved };
}

/** What was found in a document when it was the same: its references in the order of their offsets. */
export type KnownReference = DocumentRewrite['references'][number];

/** Characters that are written as they are, wherever an address stands: no escape begins with them, and none is needed. */
const PLAIN = /^[\w./:~-]+$/;

/**
 * Plans the changes of a document whose references are known, without parsing it.
 *
 * @param slice gives the text between two offsets; only the text of references is needed
 * @returns what {@link planRewrite} does, or null when the document has to be parsed: an address that is to be replaced
 * isn't written as it is read, or the one that replaces it has to be escaped
 */
export function planKnownRewrite(
  slice: (from: number, to: number) => string,
  references: readonly KnownReference[],
  replacementFor: (reference: Pick<Reference, 'address'>) => string | null,
): DocumentRewrite | null {
  const edits: Edit[] = [];
  const moved: KnownReference[] = [];
  let shift = 0;
  for (const reference of references) {
    const { from, attribute, address: before } = reference;
    const after = replacementFor(reference);
    moved.push({ from: from + shift, attribute, address: after ?? before });
    if (after === null) continue;
    const to = from + before.length;
    const isPlain = PLAIN.test(before) && PLAIN.test(after) && slice(from, to) === before;
    // What follows may belong to it: an escape that stands for nothing.
    if (!isPlain || from < (edits.at(-1)?.to ?? 0) || /[&\\]/.test(slice(to, to + 1))) return null;
    if (before === after) continue;
    edits.push({ from, to, before, after });
    shift += after.length - before.length;
  }
  return { edits, references: moved };
}

/** Plans the changes of a document, as {@link planRewrite}. */
export function planEdits(
  text: string,
  references: readonly Reference[],
  replacementFor: (reference: Reference) => string | null,
): Edit[] {
  return planRewrite(text, references, replacementFor).edits;
}

/** Applies edits, in the order of their offsets. @throws Error when the document is not the one they were planned for */
export function applyEdits(text: string, edits: readonly Edit[]): string {
  const parts: string[] = [];
  let at = 0;
  for (const { from, to, before, after } of edits) {
    if (from < at || text.slice(from, to) !== before)
      throw new Error(`Expected "${before}" at offset ${from}, got "${text.slice(from, to)}"`);
    parts.push(text.slice(at, from), after);
    at = to;
  }
  parts.push(text.slice(at));
  return parts.join('');
}

/** The edits that lead back. */
export function invertEdits(edits: readonly Edit[]): Edit[] {
  let shift = 0;
  return edits.map(({ from, before, after }) => {
    const begin = from + shift;
    shift += after.length - before.length;
    return { from: begin, to: begin + after.length, before: after, after: before };
  });
}

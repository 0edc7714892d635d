import type { FilterField, FilterVocabulary } from './filter.js';
import { LIBRARY_FIELDS } from './filter-fields.js';
import { tokenize } from './filter-tokens.js';

export interface Completion {
  /** The text shown. */
  label: string;
  hint: string;
  /** The whole text including the completion, and the new caret position. */
  text: string;
  caret: number;
}

const MAX_COMPLETIONS = 8;

/** Completes the text at the caret: a field, or a value of the field. @param plugged fields added by other rooms */
export function completeFilter(
  text: string,
  caret: number,
  vocabulary: FilterVocabulary,
  plugged: readonly FilterField[] = [],
): Completion[] {
  const fields = [...LIBRARY_FIELDS, ...plugged];
  const token = tokenize(text.slice(0, caret)).findLast(({ kind }) => kind !== 'end');
  if (token === undefined || token.end < caret) return [];
  const put = (start: number, insert: string, isOpen: boolean) => {
    const rest = text.slice(caret);
    const gap = isOpen || rest.startsWith(' ') ? '' : ' ';
    return { text: text.slice(0, start) + insert + gap + rest, caret: start + insert.length + gap.length };
  };
  if (token.kind === 'term') {
    const spec = fields.find(({ name }) => name === token.field);
    if (!spec) return [];
    const begun = token.value.toLowerCase();
    return valuesOf(spec, vocabulary, token.value)
      .filter((value) => value.toLowerCase().includes(begun) && value.toLowerCase() !== begun)
      .sort((a, b) => Number(!a.toLowerCase().startsWith(begun)) - Number(!b.toLowerCase().startsWith(begun)))
      .slice(0, MAX_COMPLETIONS)
      .map((value) => ({
        label: value,
        hint: spec.hint,
        ...put(token.valueStart, /[\s()"]/.test(value) ? `"${value}"` : value, false),
      }));
  }
  if (token.kind !== 'word' || token.isQuoted) return [];
  const begun = token.text.toLowerCase();
  return fields
    .filter(({ name }) => name.startsWith(begun))
    .slice(0, MAX_COMPLETIONS)
    .map(({ name, hint, example }) => ({
      label: `${name}:`,
      hint: `${hint}, such as ${example}`,
      ...put(token.start, `${name}:`, true),
    }));
}

function valuesOf(spec: FilterField, vocabulary: FilterVocabulary, begun: string): readonly string[] {
  return [...spec.values, ...(spec.propose?.(begun, vocabulary) ?? [])];
}

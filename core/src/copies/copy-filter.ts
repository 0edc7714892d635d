import { defineFilterField } from '../library/filter.js';
import { FilterFault, valuePlace } from '../library/filter-fault.js';

/** A condition on the copies of assets besides those in the home store. */
export type CopyCondition =
  /** A store, the home store included, holds a good copy of the current original. */
  | { store: string }
  /** Of stores besides the home store. `yes`: any does; `no`: none does; `waiting`: something is still to be stored; `damaged`: something is. */
  | { state: (typeof COPY_WORDS)[number] };

const COPY_WORDS = ['yes', 'no', 'waiting', 'damaged'] as const;

/** The field `copy:offsite`, `copy:no`, `copy:waiting`, `copy:damaged`. */
export const copyFilterField = defineFilterField<CopyCondition>({
  name: 'copy',
  hint: 'stored where',
  example: 'copy:no',
  isOrdered: false,
  values: COPY_WORDS,
  propose: (_begun, vocabulary) => vocabulary.stores ?? [],
  read(term) {
    const value = term.value.trim();
    if (value === '') throw new FilterFault('a store or a state is missing', valuePlace(term), 'no');
    const word = COPY_WORDS.find((one) => one === value.toLowerCase());
    return word ? { state: word } : { store: value };
  },
});

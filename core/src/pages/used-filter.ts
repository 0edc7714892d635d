import { defineFilterField } from '../library/filter.js';
import { chooseWord, FilterFault, valuePlace } from '../library/filter-fault.js';

/** How often an asset is used: at least and at most so many times. */
export interface UsedCondition {
  least: number;
  /** Null without a limit. */
  most: number | null;
}

const COUNT = /^(>=|<=|>|<|)(\d{1,9})$/;
const SPAN = /^(\d{1,9})\.\.(\d{1,9})$/;

/** The field `used:no`, `used:yes`, `used>5`, `used:2..4`. */
export const usedFilterField = defineFilterField<UsedCondition>({
  name: 'used',
  hint: 'how often on pages',
  example: 'used:no',
  isOrdered: true,
  values: ['yes', 'no'],
  read(term) {
    // `used:>5` means the same as `used>5`.
    const text = `${term.operator === ':' || term.operator === '=' ? '' : term.operator}${term.value}`;
    const span = SPAN.exec(text);
    if (span) {
      const [least, most] = [Number(span[1]), Number(span[2])];
      if (least > most)
        throw new FilterFault(`${least} is more than ${most}`, valuePlace(term), `${most}..${least}`);
      return { least, most };
    }
    const [, operator, digits] = COUNT.exec(text) ?? [];
    if (digits === undefined)
      return chooseWord(term, term.value, ['yes', 'no']) === 'yes'
        ? { least: 1, most: null }
        : { least: 0, most: 0 };
    const count = Number(digits);
    switch (operator) {
      case '>':
        return { least: count + 1, most: null };
      case '>=':
        return { least: count, most: null };
      case '<':
        return { least: 0, most: count - 1 };
      case '<=':
        return { least: 0, most: count };
      default:
        return { least: count, most: count };
    }
  },
});

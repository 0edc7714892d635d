import {
  type Condition,
  type Filter,
  type FilterText,
  indexedWords,
  MISSING_FIELD_BITS,
} from '@uniferum/core/library';
import { escapeLike } from '../shared/database.js';
import type { FilterJoint, SqlCondition } from './joints.js';

/** Values to look up before a filter can be translated to SQL. */
export interface Lookups {
  /** The ids of a folder and its subfolders, by path. */
  folders: ReadonlyMap<string, number[]>;
  /** The ids of similar pictures, by `id,distance`. */
  near: ReadonlyMap<string, number[]>;
  /** The fields of other rooms. */
  filters: readonly FilterJoint[];
}

const ALWAYS: SqlCondition = { sql: '1 = 1', values: [] };
const NEVER: SqlCondition = { sql: '1 = 0', values: [] };
/** No picture is older; the column contains this value where the date is unknown. */
const NO_DATE = new Date('1000-01-01T00:00:00Z');

const NUMBER_COLUMNS = { size: 'bytes', width: 'width', height: 'height', ratio: 'ratio_key' } as const;
/** Ratios are stored in thousandths. */
const NUMBER_SCALE = { size: 1, width: 1, height: 1, ratio: 1000 } as const;

/**
 * Translates a filter to SQL. Every value is bound.
 *
 * @param words how words are searched: in the full-text index, which then cannot be combined with another forced
 * index, or in the row
 */
export function filterToSql(filter: Filter, lookups: Lookups, words: 'index' | 'row' = 'row'): SqlCondition {
  switch (filter.op) {
    case 'is':
      return filter.condition.field === 'words'
        ? wordsToSql(filter.condition.text, filter.condition.isPhrase, words)
        : conditionToSql(filter.condition, lookups);
    case 'not': {
      const { sql, values } = filterToSql(filter.filter, lookups, words);
      // Unknown counts as false: NULL would be excluded both by a condition and by its negation.
      return { sql: `NOT COALESCE((${sql}), FALSE)`, values };
    }
    default:
      return joinConditions(
        filter.op,
        filter.filters.map((part) => filterToSql(part, lookups, words)),
      );
  }
}

/** Joins conditions; an empty list is always true. */
export function joinConditions(op: 'and' | 'or', parts: readonly SqlCondition[]): SqlCondition {
  if (parts.length === 0) return ALWAYS;
  return {
    sql: parts.map(({ sql }) => `(${sql})`).join(op === 'and' ? ' AND ' : ' OR '),
    values: parts.flatMap(({ values }) => values),
  };
}

function conditionToSql(condition: Exclude<Condition, { field: 'words' }>, lookups: Lookups): SqlCondition {
  switch (condition.field) {
    case 'kind':
      return { sql: 'assets.kind IN (?)', values: [condition.values] };
    case 'type':
      return typesToSql(condition.mimes);
    case 'folder': {
      const ids = lookups.folders.get(condition.path) ?? [];
      return ids.length === 0 ? NEVER : { sql: 'assets.folder_id IN (?)', values: [ids] };
    }
    case 'size':
    case 'width':
    case 'height':
    case 'ratio':
      return numberToSql(condition);
    case 'captured':
      return condition.span === null
        ? missingToSql('captured', true)
        : timeToSql('assets.captured_key', { from: NO_DATE_AFTER, ...dropNulls(condition.span) });
    case 'added':
      return timeToSql('assets.created_at', dropNulls(condition.span));
    case 'updated':
      return timeToSql('assets.updated_at', dropNulls(condition.span));
    case 'sha256':
      return { sql: 'assets.sha256 LIKE ?', values: [`${condition.prefix}%`] };
    case 'title':
    case 'alt':
    case 'caption':
    case 'credit':
    case 'keyword':
      return textToSql(condition);
    case 'duplicate':
      return {
        sql: `${condition.value ? '' : 'NOT '}EXISTS (SELECT 1 FROM blobs WHERE blobs.sha256 = assets.sha256 AND blobs.holders > 1)`,
        values: [],
      };
    case 'near': {
      const ids = lookups.near.get(`${condition.id},${condition.distance}`) ?? [];
      return ids.length === 0 ? NEVER : { sql: 'assets.id IN (?)', values: [ids] };
    }
    case 'plugged':
      return filterOf(lookups, condition.name).toSql(condition.value);
  }
}

/** The room that implements a field. */
export function filterOf({ filters }: Lookups, name: string): FilterJoint {
  const found = filters.find(({ field }) => field.name === name);
  if (!found) throw new Error(`Expected a room that answers the field ${name}, got none`);
  return found;
}

/** The boolean full-text expression for words; null when none of them is in the index. */
export function fullTextOf(text: string, isPhrase: boolean): string | null {
  const words = indexedWords(text);
  if (words.length === 0) return null;
  if (!isPhrase && words.length === 1 && text.endsWith('*')) return `+${words[0]}*`;
  return words.length === 1 ? `+${words[0]}` : `+"${words.join(' ')}"`;
}

function wordsToSql(text: string, isPhrase: boolean, where: 'index' | 'row'): SqlCondition {
  const expression = fullTextOf(text, isPhrase);
  const literal: SqlCondition = { sql: 'assets.words LIKE ?', values: [`%${escapeLike(text)}%`] };
  if (expression === null) return literal;
  if (hasShortWords(text)) return joinConditions('and', [wordsAlone(text, expression, where), literal]);
  return wordsAlone(text, expression, where);
}

/** Tells whether a text contains words too short for the index, as in `storm-1`. They are compared literally. */
export function hasShortWords(text: string): boolean {
  return (text.match(/[\p{L}\p{N}\p{M}_]+/gu) ?? []).length > indexedWords(text).length;
}

function wordsAlone(text: string, expression: string, where: 'index' | 'row'): SqlCondition {
  if (where === 'index')
    return { sql: 'MATCH (assets.words) AGAINST (? IN BOOLEAN MODE)', values: [expression] };
  const end = expression.endsWith('*') ? '' : `(?!${WORD_CHARACTER})`;
  const between = `[^${WORD_CHARACTER.slice(1, -1)}]+`;
  return {
    sql: 'assets.words REGEXP ?',
    values: [`(?i)(?<!${WORD_CHARACTER})${indexedWords(text).join(between)}${end}`],
  };
}

/** The parts of a word, as the full-text index splits them. */
const WORD_CHARACTER = '[\\p{L}\\p{N}_]';

function textToSql({ field, isFilled, contains }: Condition & { field: FilterText }): SqlCondition {
  if (contains === null) return missingToSql(field, !isFilled);
  if (field === 'keyword')
    return {
      sql: 'EXISTS (SELECT 1 FROM asset_keywords WHERE asset_keywords.asset_id = assets.id AND asset_keywords.keyword = ?)',
      values: [contains],
    };
  return { sql: `assets.${field} LIKE ?`, values: [`%${escapeLike(contains)}%`] };
}

function typesToSql(mimes: readonly string[]): SqlCondition {
  return joinConditions(
    'or',
    mimes.map((mime) =>
      mime.endsWith('/*')
        ? { sql: 'assets.mime LIKE ?', values: [`${escapeLike(mime.slice(0, -1))}%`] }
        : { sql: 'assets.mime = ?', values: [mime] },
    ),
  );
}

function numberToSql({
  field,
  min,
  max,
  isMinOpen,
  isMaxOpen,
}: Condition & { field: keyof typeof NUMBER_COLUMNS }) {
  const column = `assets.${NUMBER_COLUMNS[field]}`;
  const scale = NUMBER_SCALE[field];
  const parts: SqlCondition[] = [];
  if (min !== null) parts.push({ sql: `${column} ${isMinOpen ? '>' : '>='} ?`, values: [min * scale] });
  if (max !== null) parts.push({ sql: `${column} ${isMaxOpen ? '<' : '<='} ?`, values: [max * scale] });
  return joinConditions('and', parts);
}

const NO_DATE_AFTER = new Date(NO_DATE.getTime() + 1);

function dropNulls({ from, until }: { from: string | null; until: string | null }) {
  return {
    ...(from !== null && { from: new Date(from) }),
    ...(until !== null && { until: new Date(until) }),
  };
}

function timeToSql(column: string, { from, until }: { from?: Date; until?: Date }): SqlCondition {
  return joinConditions('and', [
    ...(from ? [{ sql: `${column} >= ?`, values: [from] }] : []),
    ...(until ? [{ sql: `${column} < ?`, values: [until] }] : []),
  ]);
}

function missingToSql(field: keyof typeof MISSING_FIELD_BITS, isEmpty: boolean): SqlCondition {
  return {
    sql: `(assets.missing_fields & ${MISSING_FIELD_BITS[field]}) ${isEmpty ? '<>' : '='} 0`,
    values: [],
  };
}

/** Lists every condition of a filter. */
export function conditionsOf(filter: Filter): Condition[] {
  if (filter.op === 'is') return [filter.condition];
  return filter.op === 'not' ? conditionsOf(filter.filter) : filter.filters.flatMap(conditionsOf);
}

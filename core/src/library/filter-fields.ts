import { typeByExtension } from '../intake/media-types.js';
import {
  type Condition,
  DEFAULT_NEAR_DISTANCE,
  type FILTER_TEXTS,
  type FilterField,
  type FilterVocabulary,
  MAX_NEAR_DISTANCE,
} from './filter.js';
import { chooseWord, eachValue, FilterFault, takeValue, valuePlace } from './filter-fault.js';
import type { Term } from './filter-tokens.js';
import { readNumberSpan, readTimeSpan } from './filter-values.js';
import { KINDS, type Kind } from './kinds.js';
import { parseFolderPath } from './paths.js';

type Reader = (term: Term, nowMs: number) => Condition;

interface More {
  values?: readonly string[];
  /** From the vocabulary. */
  words?: keyof FilterVocabulary;
}

function field(
  name: string,
  hint: string,
  example: string,
  read: Reader,
  { values = [], words }: More = {},
): FilterField {
  return {
    name,
    hint,
    example,
    isOrdered: false,
    values,
    read,
    ...(words !== undefined && { propose: (_begun, vocabulary) => vocabulary[words] ?? [] }),
  };
}

const ordered = (spec: FilterField): FilterField => ({ ...spec, isOrdered: true });
const FILLED = ['none', 'any'];
const YES_NO = ['yes', 'no'];

/** The fields of the library itself. Other rooms add theirs. */
export const LIBRARY_FIELDS: readonly FilterField[] = [
  field(
    'kind',
    'what it is',
    'kind:image',
    (term) => ({ field: 'kind', values: eachValue(term, (value) => chooseWord(term, value, KINDS) as Kind) }),
    { values: KINDS },
  ),
  field(
    'type',
    'extension or media type',
    'type:jpg',
    (term) => ({ field: 'type', mimes: eachValue(term, (value) => readType(term, value)) }),
    { words: 'types' },
  ),
  field('folder', 'in a folder or below it', 'folder:/lights', readFolder, { words: 'folders' }),
  ordered(field('size', 'bytes, kb, mb, gb', 'size>2mb', readNumber('size'))),
  ordered(field('width', 'pixels', 'width>=1600', readNumber('width'))),
  ordered(field('height', 'pixels', 'height<400', readNumber('height'))),
  ordered(
    field('ratio', 'width by height', 'ratio:3:2', readNumber('ratio'), {
      values: ['square', 'landscape', 'portrait'],
    }),
  ),
  field('title', 'words in it, any or none', 'title:none', readText('title'), { values: FILLED }),
  field('alt', 'alternative text', 'alt:none', readText('alt'), { values: FILLED }),
  field('caption', 'words in it, any or none', 'caption:any', readText('caption'), { values: FILLED }),
  field('credit', 'words in it, any or none', 'credit:none', readText('credit'), {
    values: FILLED,
    words: 'credits',
  }),
  field('keyword', 'one keyword, any or none', 'keyword:storm', readText('keyword'), {
    values: FILLED,
    words: 'keywords',
  }),
  ordered(
    field('captured', 'when it was taken', 'captured:2025-05..2025-09', readCaptured, {
      values: ['none', 'today'],
    }),
  ),
  readTimes('added', 'when it arrived'),
  readTimes('updated', 'when it last changed'),
  field('sha256', 'digest of its bytes', 'sha256:9f86d081884c7d65', readDigest),
  field('duplicate', 'same bytes elsewhere', 'duplicate:yes', readYesNo('duplicate'), { values: YES_NO }),
  field('near', 'looks like an asset', 'near:1204', readNear),
];

function readTimes(name: 'added' | 'updated', hint: string): FilterField {
  const read: Reader = (term, nowMs) => ({
    field: name,
    span: takeValue(term, readTimeSpan(term.operator, term.value, nowMs)),
  });
  return ordered(field(name, hint, `${name}:7d`, read, { values: ['today', '7d', '30d'] }));
}

/** Fewer digits would find a part of the library at random. */
const FEWEST_DIGITS = 8;
const DIGEST_DIGITS = 64;

function readDigest(term: Term): Condition {
  const prefix = term.value.toLowerCase();
  if (!/^[0-9a-f]*$/.test(prefix) || prefix.length < FEWEST_DIGITS || prefix.length > DIGEST_DIGITS)
    throw new FilterFault(
      `a digest has ${FEWEST_DIGITS} to ${DIGEST_DIGITS} hexadecimal digits`,
      valuePlace(term),
      null,
    );
  return { field: 'sha256', prefix };
}

function readText(name: (typeof FILTER_TEXTS)[number]): Reader {
  return ({ value, isQuoted }) => {
    const word = isQuoted ? '' : value.toLowerCase();
    if (word === 'none' || word === 'any') return { field: name, isFilled: word === 'any', contains: null };
    return { field: name, isFilled: true, contains: value };
  };
}

function readNumber(name: 'size' | 'width' | 'height' | 'ratio'): Reader {
  return (term) => ({ field: name, ...takeValue(term, readNumberSpan(name, term.operator, term.value)) });
}

function readYesNo(name: 'duplicate'): Reader {
  return (term) => ({ field: name, value: chooseWord(term, term.value, YES_NO) === 'yes' });
}

function readFolder(term: Term): Condition {
  const parsed = parseFolderPath(term.value);
  if (!parsed.ok) throw new FilterFault(`this is not a folder path: ${parsed.reason}`, valuePlace(term));
  return { field: 'folder', path: parsed.path };
}

function readCaptured(term: Term, nowMs: number): Condition {
  return term.value.toLowerCase() === 'none'
    ? { field: 'captured', span: null }
    : { field: 'captured', span: takeValue(term, readTimeSpan(term.operator, term.value, nowMs)) };
}

function readNear(term: Term): Condition {
  const parts = /^([1-9]\d{0,17})(?:,(\d{1,2}))?$/.exec(term.value);
  if (!parts)
    throw new FilterFault(
      `near expects an asset id and an optional distance: near:1204,${DEFAULT_NEAR_DISTANCE}`,
      valuePlace(term),
    );
  const distance = parts[2] === undefined ? DEFAULT_NEAR_DISTANCE : Number(parts[2]);
  if (distance > MAX_NEAR_DISTANCE)
    throw new FilterFault(
      `the maximum distance is ${MAX_NEAR_DISTANCE}`,
      valuePlace(term),
      `${parts[1]},${MAX_NEAR_DISTANCE}`,
    );
  return { field: 'near', id: parts[1] as string, distance };
}

function readType(term: Term, value: string): string {
  const lower = value.toLowerCase().replace(/^\./, '');
  if (/^[a-z]+\/(?:\*|[a-z0-9.+-]+)$/.test(lower)) return lower;
  const known = typeByExtension(lower);
  if (!known)
    throw new FilterFault(`"${value}" is not a known type; use jpg or image/jpeg`, valuePlace(term), 'jpg');
  return known.mime;
}

import type { NumberSpan, TimeSpan } from './filter.js';
import type { Operator } from './filter-tokens.js';

/** A parsed value, or why it is invalid and what would be valid. */
export type Read<Value> = { value: Value } | { message: string; instead?: string };

const DAY_MS = 86_400_000;
const UNITS: Record<string, number> = { '': 1, b: 1, k: 1e3, kb: 1e3, m: 1e6, mb: 1e6, g: 1e9, gb: 1e9 };

/** Parses a size: `2mb`, `1.5gb`, `800`. A kilobyte is 1000 bytes, as everywhere in Uniferum. */
export function readBytes(text: string): Read<number> {
  const parts = /^(\d+(?:\.\d+)?)([a-z]*)$/i.exec(text);
  const unit = UNITS[parts?.[2]?.toLowerCase() ?? '?'];
  if (!parts || unit === undefined)
    return { message: `"${text}" is not a size; use 800kb, 2mb or 1.5gb`, instead: '2mb' };
  return { value: Math.round(Number(parts[1]) * unit) };
}

/** Parses whole pixels: `1600`, `1600px`. */
export function readPixels(text: string): Read<number> {
  const parts = /^(\d{1,9})(?:px)?$/i.exec(text);
  if (!parts) return { message: `"${text}" is not a number of pixels`, instead: '1600' };
  return { value: Number(parts[1]) };
}

/** Parses an aspect ratio: `3:2`, `1.5`. */
export function readRatio(text: string): Read<number> {
  const pair = /^(\d+(?:\.\d+)?)[:/x](\d+(?:\.\d+)?)$/.exec(text);
  const value = pair ? Number(pair[1]) / Number(pair[2]) : Number(text);
  if (text === '' || !Number.isFinite(value) || value <= 0)
    return { message: `"${text}" is not a ratio; use 3:2 or 1.5`, instead: '3:2' };
  return { value };
}

/** A tolerance of half a percent: 1600 × 1067 counts as 3:2. */
const RATIO_TOLERANCE = 0.005;
const RATIO_WORDS: Record<string, NumberSpan> = {
  square: near(1),
  landscape: { min: 1 + RATIO_TOLERANCE, max: null, isMinOpen: true, isMaxOpen: false },
  portrait: { min: null, max: 1 - RATIO_TOLERANCE, isMinOpen: false, isMaxOpen: true },
};

function near(ratio: number): NumberSpan {
  return {
    min: ratio * (1 - RATIO_TOLERANCE),
    max: ratio * (1 + RATIO_TOLERANCE),
    isMinOpen: false,
    isMaxOpen: false,
  };
}

/** Parses `>2mb`, `:100..200`, `:800` as a range of numbers. */
export function readNumberSpan(
  field: 'size' | 'width' | 'height' | 'ratio',
  operator: Operator,
  text: string,
): Read<NumberSpan> {
  const read = field === 'size' ? readBytes : field === 'ratio' ? readRatio : readPixels;
  const isEqual = operator === ':' || operator === '=';
  const word = field === 'ratio' && isEqual ? RATIO_WORDS[text.toLowerCase()] : undefined;
  if (word) return { value: word };
  const range = isEqual ? splitRange(text) : null;
  if (range) return readNumberRange(range, read);
  const one = read(text);
  if (!('value' in one)) return one;
  const { value } = one;
  if (isEqual)
    return {
      value: field === 'ratio' ? near(value) : { min: value, max: value, isMinOpen: false, isMaxOpen: false },
    };
  const isMin = operator === '>' || operator === '>=';
  return {
    value: {
      min: isMin ? value : null,
      max: isMin ? null : value,
      isMinOpen: operator === '>',
      isMaxOpen: operator === '<',
    },
  };
}

function readNumberRange(
  { from, to }: { from: string; to: string },
  read: (text: string) => Read<number>,
): Read<NumberSpan> {
  const min = from === '' ? null : read(from);
  const max = to === '' ? null : read(to);
  if (min && !('value' in min)) return min;
  if (max && !('value' in max)) return max;
  if (min && max && min.value > max.value)
    return { message: `the range ${from}..${to} ends before it begins`, instead: `${to}..${from}` };
  return {
    value: { min: min?.value ?? null, max: max?.value ?? null, isMinOpen: false, isMaxOpen: false },
  };
}

/** Parses `:2025-05..2025-09`, `>2025`, `:7d`, `:today` as a time range. Days are UTC days. */
export function readTimeSpan(operator: Operator, text: string, nowMs: number): Read<TimeSpan> {
  const isEqual = operator === ':' || operator === '=';
  const range = splitRange(text);
  if (range && isEqual) {
    const from = range.from === '' ? null : readPeriod(range.from, nowMs);
    const to = range.to === '' ? null : readPeriod(range.to, nowMs);
    if (from && !('value' in from)) return from;
    if (to && !('value' in to)) return to;
    const [begin, end] = [from?.value.fromMs ?? null, to?.value.untilMs ?? null];
    if (begin !== null && end !== null && begin >= end)
      return { message: `the range ${text} ends before it begins`, instead: `${range.to}..${range.from}` };
    return { value: { from: iso(begin), until: iso(end) } };
  }
  const period = readPeriod(text, nowMs);
  if (!('value' in period)) return period;
  const { fromMs, untilMs } = period.value;
  switch (operator) {
    case '>':
      return { value: { from: iso(untilMs), until: null } };
    case '>=':
      return { value: { from: iso(fromMs), until: null } };
    case '<':
      return { value: { from: null, until: iso(fromMs) } };
    case '<=':
      return { value: { from: null, until: iso(untilMs) } };
    default:
      return { value: { from: iso(fromMs), until: iso(untilMs) } };
  }
}

interface Period {
  fromMs: number;
  untilMs: number;
}

/** A year, a month, a day, `today`, or a number of past days. */
function readPeriod(text: string, nowMs: number): Read<Period> {
  const today = Math.floor(nowMs / DAY_MS) * DAY_MS;
  const lower = text.toLowerCase();
  if (lower === 'today') return { value: { fromMs: today, untilMs: today + DAY_MS } };
  if (lower === 'yesterday') return { value: { fromMs: today - DAY_MS, untilMs: today } };
  const days = /^(\d{1,5})d$/.exec(lower);
  if (days) return { value: { fromMs: nowMs - Number(days[1]) * DAY_MS, untilMs: nowMs + DAY_MS } };
  const parts = /^(\d{4})(?:-(\d{1,2})(?:-(\d{1,2}))?)?$/.exec(text);
  const instead = '2025-09';
  if (!parts) return { message: `"${text}" is not a date; use 2025, 2025-09, 2025-09-14 or 7d`, instead };
  const [year, month, day] = [
    Number(parts[1]),
    parts[2] === undefined ? null : Number(parts[2]),
    parts[3] === undefined ? null : Number(parts[3]),
  ];
  const fromMs = Date.UTC(year, (month ?? 1) - 1, day ?? 1);
  const check = new Date(fromMs);
  const isReal =
    year >= 1000 &&
    (month === null || check.getUTCMonth() === month - 1) &&
    (day === null || check.getUTCDate() === day);
  if (!isReal) return { message: `${text} is not a calendar date`, instead };
  const untilMs =
    month === null ? Date.UTC(year + 1, 0, 1) : day === null ? Date.UTC(year, month, 1) : fromMs + DAY_MS;
  return { value: { fromMs, untilMs } };
}

function splitRange(text: string): { from: string; to: string } | null {
  const at = text.indexOf('..');
  if (at < 0 || text === '..') return null;
  return { from: text.slice(0, at), to: text.slice(at + 2) };
}

function iso(ms: number | null): string | null {
  return ms === null ? null : new Date(ms).toISOString();
}

import { readFileSync } from 'node:fs';
import { describe, expect, test } from 'vitest';
import { copyFilterField } from '../copies/copy-filter.js';
import { usedFilterField } from '../pages/used-filter.js';
import { recipeFilterField } from '../recipes/filter-field.js';
import { PATTERN_WORDS } from './bulk-change.js';
import { LIBRARY_FIELDS } from './filter-fields.js';
import { parseFilter } from './filter-parse.js';

// The documented language is the one that is read.

const read = (path: string) => readFileSync(new URL(`../../../${path}`, import.meta.url), 'utf8');
const PAGE = read('docs/FILTERS.md');
const PLUGGED = [recipeFilterField, usedFilterField, copyFilterField];
const NOW = Date.UTC(2026, 4, 20, 12);

const section = (title: string) => PAGE.split(/^## /m).find((part) => part.startsWith(title)) ?? '';
const codes = (text: string) => [...text.matchAll(/`([^`]+)`/g)].map(([, code]) => code ?? '');
const rows = section('Fields')
  .split('\n')
  .filter((line) => line.startsWith('| `'))
  .map((line) => line.split('|').map((cell) => cell.trim()));

const NO_FILTERS = new Set(['q', 'or', 'not']);
const EXAMPLES = [
  ...codes(section('Writing a filter')).filter((code) => !NO_FILTERS.has(code)),
  ...rows.flatMap((cells) => codes(cells[3] ?? '')),
  // Of the command line: what is quoted after these.
  ...[...read('cli/README.md').matchAll(/(?:ls|--filter|optimise|copies) '([^']+)'/g)].map(
    ([, text]) => text ?? '',
  ),
];

test.each(EXAMPLES)('%s is a filter', (text) => {
  expect(parseFilter(text, NOW, PLUGGED)).toMatchObject({ ok: true });
});

describe('the page', () => {
  test('has every field, and no other', () => {
    const documented = rows.flatMap((cells) => codes(cells[1] ?? ''));
    expect(documented.sort()).toEqual([...LIBRARY_FIELDS, ...PLUGGED].map(({ name }) => name).sort());
    expect(EXAMPLES.length).toBeGreaterThan(40);
  });

  test('has every pattern, with what it becomes', () => {
    for (const [word, meaning] of Object.entries(PATTERN_WORDS))
      expect(section('Patterns')).toContain(`| \`{${word}}\` | ${meaning} |`);
  });
});

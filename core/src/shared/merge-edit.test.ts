import { describe, expect, test } from 'vitest';
import { mergeEdit } from './merge-edit.js';

const base = { title: 'Dusk', alt: null as string | null, keywords: ['sea'] };

describe('merging an edit', () => {
  test('nothing changed gives nothing', () => {
    expect(mergeEdit(base, base, base)).toEqual({ change: {}, conflicts: [] });
    expect(mergeEdit(base, base, { ...base, title: 'Night' })).toEqual({ change: {}, conflicts: [] });
  });

  test('my change stands when others left the field alone, and theirs is not reverted', () => {
    expect(mergeEdit(base, { ...base, alt: 'A light' }, { ...base, title: 'Night' })).toEqual({
      change: { alt: 'A light' },
      conflicts: [],
    });
  });

  test('a field changed by both is a conflict', () => {
    expect(mergeEdit(base, { ...base, title: 'Storm' }, { ...base, title: 'Night' })).toEqual({
      change: {},
      conflicts: [{ field: 'title', mine: 'Storm', theirs: 'Night' }],
    });
  });

  test('the same change by both is done already', () => {
    const both = { ...base, title: 'Night', keywords: ['sea', 'night'] };
    expect(mergeEdit(base, both, { ...both })).toEqual({ change: {}, conflicts: [] });
  });

  test('lists are compared by what is in them, in order', () => {
    expect(mergeEdit(base, { ...base, keywords: ['sea'] }, base).change).toEqual({});
    expect(mergeEdit(base, { ...base, keywords: ['sea', 'fog'] }, base).change).toEqual({
      keywords: ['sea', 'fog'],
    });
  });

  test('emptying a field is a change like any other', () => {
    const filled = { ...base, alt: 'A light' as string | null };
    expect(mergeEdit(filled, { ...filled, alt: null }, { ...filled, alt: 'A lamp' }).conflicts).toEqual([
      { field: 'alt', mine: null, theirs: 'A lamp' },
    ]);
  });
});

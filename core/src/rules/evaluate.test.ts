import { describe, expect, test } from 'vitest';
import type { ReasonCode, Verdict } from '../intake/verdict.js';
import { newRefusals, refusalsAbout } from './aspects.js';
import { type FileFacts, judgeFile, MAX_SIDE } from './evaluate.js';

import { type FolderRules, NO_RULES, resolveRules } from './rules.js';
import { findDenial, isAllowed, shownTypes } from './types.js';

const FOLDER = { path: '/lights', items: 0 };
const LIMITS = { maxBytes: 1000, maxPixels: 10_000 };
const file = (more: Partial<FileFacts> = {}): FileFacts => ({ name: 'dusk.jpg', bytes: 10, ...more });
const judge = (facts: FileFacts, rules: Partial<FolderRules> = {}, limits: typeof LIMITS | null = null) =>
  judgeFile(facts, resolveRules([{ path: '/lights', rules: { ...NO_RULES, ...rules } }]), FOLDER, limits);
const codes = ({ reasons }: Verdict) => reasons.map(({ code }) => code);

describe('each limit holds at its last value, and not one further', () => {
  test.each<[string, Partial<FolderRules>, Partial<FileFacts>, Partial<FileFacts>, ReasonCode]>([
    ['maxBytes', { maxBytes: 100 }, { bytes: 100 }, { bytes: 101 }, 'too-large'],
    ['minWidth', { minWidth: 50 }, { width: 50, height: 1 }, { width: 49, height: 1 }, 'too-few-pixels'],
    ['minHeight', { minHeight: 50 }, { width: 1, height: 50 }, { width: 1, height: 49 }, 'too-few-pixels'],
    [
      'maxPixels',
      { maxPixels: 600 },
      { width: 30, height: 20 },
      { width: 601, height: 1 },
      'too-many-pixels',
    ],
  ])('%s', (_name, rules, within, beyond, code) => {
    expect(judge(file(within), rules).outcome).toBe('accepted');
    expect(codes(judge(file(beyond), rules))).toEqual([code]);
  });

  test('of the installation: bytes, pixels and the longest side', () => {
    expect(judge(file({ bytes: 1000, width: 100, height: 100 }), {}, LIMITS).outcome).toBe('accepted');
    expect(judge(file({ bytes: 1001 }), {}, LIMITS).reasons).toMatchObject([
      { code: 'too-large', limit: 1000, actual: 1001, folder: null },
    ]);
    expect(judge(file({ width: 10_001, height: 1 }), {}, LIMITS).reasons).toMatchObject([
      { code: 'too-many-pixels', limit: 10_000, actual: 10_001, folder: null },
    ]);
    for (const [width, height, outcome] of [
      [100, 100, 'accepted'],
      [100, 101, 'refused'],
      [10_001, 1, 'refused'],
      [null, 20_000, 'accepted'],
      [20_000, null, 'accepted'],
    ] as const)
      expect([width, height, judge(file({ width, height }), {}, LIMITS).outcome]).toEqual([
        width,
        height,
        outcome,
      ]);
    const wide = { ...LIMITS, maxPixels: MAX_SIDE * 10 };
    expect(judge(file({ width: MAX_SIDE, height: 2 }), {}, wide).outcome).toBe('accepted');
    for (const sides of [
      { width: MAX_SIDE + 1, height: 2 },
      { width: 2, height: MAX_SIDE + 1 },
    ])
      expect(judge(file(sides), {}, wide).reasons).toMatchObject([
        { code: 'too-many-pixels', limit: MAX_SIDE, actual: MAX_SIDE + 1 },
      ]);
  });

  test('a size of which one side is not known says nothing', () => {
    for (const sides of [
      { width: 1, height: null },
      { width: null, height: 1 },
      { width: 20_000, height: null },
      { width: null, height: 20_000 },
    ]) {
      expect(judge(file(sides), { minWidth: 5, minHeight: 5, maxPixels: 1 }, LIMITS).outcome).toBe(
        'accepted',
      );
    }
  });

  test('a picture that is too small both ways says so twice, with its figures', () => {
    expect(
      judge(file({ width: 3, height: 4 }), { minWidth: 5, minHeight: 6, maxPixels: 11 }).reasons,
    ).toMatchObject([
      { limit: 5, actual: 3, message: expect.stringContaining('3 px wide') },
      { limit: 6, actual: 4, message: expect.stringContaining('4 px high') },
      { limit: 11, actual: 12, message: expect.stringContaining('12 pixels') },
    ]);
  });
});

describe('duplicates', () => {
  const twin = file({ duplicateOf: '/a/b.jpg' });
  test.each<[FolderRules['duplicates'] | undefined, string, string, RegExp]>([
    [undefined, 'warned', 'warn', /same bytes as \/a\/b\.jpg\.$/],
    ['warn', 'warned', 'warn', /same bytes as \/a\/b\.jpg\.$/],
    ['reuse', 'warned', 'warn', /That asset is used; nothing was added/],
    ['refuse', 'refused', 'refuse', /same bytes/],
  ])('%s', (rule, outcome, limit, message) => {
    const verdict = judge(twin, rule === undefined ? {} : { duplicates: rule });
    expect(verdict).toMatchObject({ outcome, reasons: [{ code: 'duplicate', limit, actual: '/a/b.jpg' }] });
    expect(verdict.reasons[0]?.folder).toBe(rule === undefined ? null : '/lights');
    expect(verdict.reasons[0]?.message).toMatch(message);
  });

  test('none is known, or there is none', () => {
    for (const duplicateOf of [null, undefined])
      expect(
        judge({ ...file(), ...(duplicateOf === null && { duplicateOf }) }, { duplicates: 'refuse' }).outcome,
      ).toBe('accepted');
  });
});

describe('a custom check', () => {
  const check = { url: 'http://x.example/check' } as FolderRules['check'];
  const said = (isAccepted: boolean, isAnswer: boolean, message: string | null) =>
    judge(file({ checked: { isAccepted, isAnswer, message } }), { check });

  test('that takes a file says nothing, or its remark', () => {
    expect(said(true, true, null)).toMatchObject({ outcome: 'accepted', reasons: [] });
    expect(said(true, true, 'a bit dark.')).toMatchObject({
      outcome: 'warned',
      reasons: [{ code: 'custom-check', message: 'The check of /lights accepts dusk.jpg: a bit dark.' }],
    });
  });

  test('that refuses a file says why, or that it gives no reason', () => {
    expect(said(false, true, 'too dark')).toMatchObject({
      outcome: 'refused',
      reasons: [{ code: 'custom-check', message: 'The check of /lights refuses dusk.jpg: too dark.' }],
    });
    expect(said(false, true, null).reasons[0]?.message).toContain('no reason given');
  });

  test('that did not answer is said both ways', () => {
    expect(said(true, false, 'no answer within 2 s').reasons[0]?.message).toBe(
      'The check of /lights failed for dusk.jpg (no answer within 2 s). The rule says that the file is then accepted.',
    );
    expect(said(false, false, 'no answer').outcome).toBe('refused');
    expect(said(true, false, null).outcome).toBe('warned');
  });

  test('that is not set, or was not asked, says nothing', () => {
    const checked = { isAccepted: false, isAnswer: true, message: 'x' };
    expect(judge(file({ checked })).outcome).toBe('accepted');
    expect(judge(file(), { check }).outcome).toBe('accepted');
  });
});

test("what can't be read is refused with its type, and metadata that can't be is a warning", () => {
  expect(judge(file({ unreadable: 'it ends early', mime: 'image/jpeg' })).reasons).toMatchObject([
    { code: 'unreadable', actual: 'image/jpeg', message: expect.stringContaining('it ends early') },
  ]);
  expect(judge(file({ unreadable: 'it ends early' })).reasons[0]?.actual).toBeNull();
  expect(judge(file({ notes: [] })).outcome).toBe('accepted');
  expect(judge(file({ notes: ['truncated'] }))).toMatchObject({
    outcome: 'warned',
    reasons: [{ code: 'truncated', message: expect.stringContaining('as far as it goes') }],
  });
  expect(judge(file({ metadataFault: 'it took too long' }))).toMatchObject({
    outcome: 'warned',
    reasons: [{ code: 'metadata-unreadable', message: expect.stringContaining('it took too long') }],
  });
});

test("a name that can't stand in an address is kept as another", () => {
  expect(judge(file({ name: 'dusk?.jpg' }))).toMatchObject({
    outcome: 'warned',
    reasons: [{ code: 'name-invalid', actual: 'dusk?.jpg' }],
  });
});

test('what a file is said to be: its true type, its extension, or neither', () => {
  const denied = (facts: Partial<FileFacts>) => judge(file(facts), { allow: ['png'] }).reasons[0];
  expect(denied({ mime: 'image/jpeg' })).toMatchObject({
    actual: 'image/jpeg',
    message: expect.stringContaining('is image/jpeg;'),
  });
  expect(denied({})).toMatchObject({ actual: 'jpg', message: expect.stringContaining('is a .jpg file;') });
  expect(denied({ name: 'dusk' })).toMatchObject({
    actual: '',
    message: expect.stringContaining('is without an extension;'),
  });
});

describe('what a change brings about', () => {
  const verdict = (outcome: Verdict['outcome'], ...reasons: [ReasonCode, number?][]): Verdict => ({
    name: 'a',
    outcome,
    reasons: reasons.map(([code, limit = 1]) => ({ code, message: '', limit, actual: null, folder: null })),
  });
  const named = (reasons: Verdict['reasons']) => reasons.map(({ code, limit }) => [code, limit]);

  test('only refusals about its aspect, and none of a file that is not refused', () => {
    const all = verdict(
      'refused',
      ['text-missing'],
      ['type-denied'],
      ['type-not-allowed'],
      ['too-large'],
      ['too-many'],
    );
    expect(named(refusalsAbout(all, 'texts'))).toEqual([['text-missing', 1]]);
    expect(named(refusalsAbout(all, 'name'))).toEqual([
      ['type-denied', 1],
      ['type-not-allowed', 1],
    ]);
    expect(named(refusalsAbout(all, 'content'))).toEqual([
      ['type-denied', 1],
      ['type-not-allowed', 1],
      ['too-large', 1],
    ]);
    expect(refusalsAbout(verdict('warned', ['duplicate']), 'content')).toEqual([]);
    expect(refusalsAbout(verdict('warned', ['text-missing']), 'texts')).toEqual([]);
  });

  test('only what was not so before: another reason, or another limit', () => {
    const before = verdict('refused', ['too-large', 5], ['empty']);
    const after = verdict('refused', ['too-large', 5], ['too-large', 4], ['type-denied'], ['empty']);
    expect(named(newRefusals(before, after))).toEqual([
      ['too-large', 4],
      ['type-denied', 1],
    ]);
    expect(named(newRefusals(verdict('warned', ['too-large', 5]), after))).toHaveLength(4);
    expect(newRefusals(before, verdict('warned', ['duplicate']))).toEqual([]);
  });
});

describe('types', () => {
  test('a name shows its extension, also of an unknown type, and bytes show theirs', () => {
    expect(shownTypes('a.jpeg', null)).toEqual([
      { extensions: expect.arrayContaining(['jpg', 'jpeg']), mime: 'image/jpeg' },
    ]);
    expect(shownTypes('a.xyz', null)).toEqual([{ extensions: ['xyz'], mime: null }]);
    expect(shownTypes('a', null)).toEqual([]);
    expect(shownTypes('a', 'image/x-odd')).toEqual([{ extensions: [], mime: 'image/x-odd' }]);
    expect(shownTypes('a.png', 'image/jpeg').map(({ mime }) => mime)).toEqual(['image/png', 'image/jpeg']);
  });

  test.each([
    ['image/*', 'a.png', true],
    ['image/*', 'a.pdf', false],
    ['image/*', 'a.xyz', false],
    ['image/png', 'a.png', true],
    ['image/png', 'a.jpg', false],
    ['png', 'a.png', true],
    ['png', 'a.jpg', false],
    ['xyz', 'a.xyz', true],
  ])('%s matches %s: %s', (pattern, name, matches) => {
    const shown = shownTypes(name, null);
    expect(isAllowed([pattern], shown)).toBe(matches);
    expect(findDenial([{ value: pattern }], shown)).toEqual(matches ? { value: pattern } : null);
  });

  test('a wildcard is of the whole first part', () => {
    expect(isAllowed(['ima/*'], shownTypes('a.png', null))).toBe(false);
    expect(isAllowed(['image/*'], [{ extensions: [], mime: 'imagex/png' }])).toBe(false);
  });
});

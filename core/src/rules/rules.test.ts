import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { judgeBatch, judgeFile } from './evaluate.js';
import { type FolderRules, NO_RULES, resolveRules } from './rules.js';
import { isTypePattern } from './types.js';

const rules = (own: Partial<FolderRules>): FolderRules => ({ ...NO_RULES, ...own });
const chain = (...folders: [path: string, own: Partial<FolderRules>][]) =>
  resolveRules(folders.map(([path, own]) => ({ path, rules: rules(own) })));
const here = { path: '/news', items: 0 };
const codes = (verdict: { reasons: { code: string }[] }) => verdict.reasons.map(({ code }) => code);

describe('resolveRules', () => {
  test('a nearer folder overrides a farther one, and says so', () => {
    const effective = chain(['/', { maxBytes: 100, maxItems: 9 }], ['/news', { maxBytes: 50 }]);
    expect(effective.maxBytes).toEqual({ value: 50, from: '/news' });
    expect(effective.maxItems).toEqual({ value: 9, from: '/' });
  });

  test('denials add up along the path, each with its folder', () => {
    const effective = chain(['/', { deny: ['exe'] }], ['/news', { deny: ['svg', 'exe'] }]);
    expect(effective.deny).toEqual([
      { value: 'exe', from: '/' },
      { value: 'svg', from: '/news' },
    ]);
  });

  test('a folder that does not inherit drops limits from above, and keeps the denials', () => {
    const effective = chain(
      ['/', { maxBytes: 100, deny: ['exe'], requireTexts: ['alt'] }],
      ['/news', { inherit: false, maxItems: 3 }],
    );
    expect(effective.maxBytes).toBeNull();
    expect(effective.requireTexts).toEqual([]);
    expect(effective.deny).toEqual([{ value: 'exe', from: '/' }]);
  });
});

describe('types', () => {
  // Common practice, no source: a denied extension beats an allowed one in any folder above or below.
  test('a denial beats an allowance, wherever each is set', () => {
    const places: [Partial<FolderRules>, Partial<FolderRules>][] = [
      [{ deny: ['gif'] }, { allow: ['gif', 'jpg'] }],
      [{ allow: ['gif', 'jpg'] }, { deny: ['gif'] }],
      [{}, { allow: ['image/*'], deny: ['gif'] }],
    ];
    for (const [above, below] of places) {
      const verdict = judgeFile({ name: 'a.gif', bytes: 1 }, chain(['/', above], ['/news', below]), here);
      expect(codes(verdict)).toEqual(['type-denied']);
    }
  });

  test('the content counts as well as the name: neither hides the other', () => {
    const noExe = chain(['/', { deny: ['exe'] }]);
    const executable = 'application/vnd.microsoft.portable-executable';
    expect(codes(judgeFile({ name: 'holiday.jpg', bytes: 1, mime: executable }, noExe, here))).toEqual([
      'type-denied',
    ]);
    expect(codes(judgeFile({ name: 'virus.exe', bytes: 1, mime: 'image/jpeg' }, noExe, here))).toEqual([
      'type-denied',
    ]);
    const onlyJpeg = chain(['/', { allow: ['jpg'] }]);
    expect(codes(judgeFile({ name: 'a.jpg', bytes: 1, mime: 'image/png' }, onlyJpeg, here))).toEqual([
      'type-not-allowed',
    ]);
  });

  test('an extension stands for all names of its type', () => {
    expect(
      judgeFile({ name: 'a.JPEG', bytes: 1, mime: 'image/jpeg' }, chain(['/', { allow: ['jpg'] }]), here)
        .outcome,
    ).toBe('accepted');
  });

  test('a file that shows no type is not among the allowed ones', () => {
    expect(codes(judgeFile({ name: 'README', bytes: 1 }, chain(['/', { allow: ['txt'] }]), here))).toEqual([
      'type-not-allowed',
    ]);
  });

  test.each(['jpg', 'image/*', 'image/svg+xml', '7z'])('%j is a type', (text) =>
    expect(isTypePattern(text)).toBe(true),
  );
  test.each(['*', '.jpg', 'image/', 'a b', '*/*', ''])('%j is none', (text) =>
    expect(isTypePattern(text)).toBe(false),
  );
});

describe('limits', () => {
  // Common practice, no source: with a limit of 1 MB a 266 KB presentation passes and one of over 6 MB does not.
  test('a limit of 1 MB takes 266 kB and refuses 6 MB, with limit, size and folder', () => {
    const oneMegabyte = chain(['/', { maxBytes: 1_000_000 }]);
    expect(judgeFile({ name: 'talk.odp', bytes: 266_000 }, oneMegabyte, here).outcome).toBe('accepted');
    const [reason] = judgeFile({ name: 'talk.odp', bytes: 6_200_000 }, oneMegabyte, here).reasons;
    expect(reason).toMatchObject({ code: 'too-large', limit: 1_000_000, actual: 6_200_000, folder: '/' });
    expect(reason?.message).toContain('6.2 MB');
  });

  test('exactly the limit is within it', () => {
    expect(judgeFile({ name: 'a.txt', bytes: 10 }, chain(['/', { maxBytes: 10 }]), here).outcome).toBe(
      'accepted',
    );
  });

  // Common practice, no source: with room for five and four present, of two pictures the first gets in and the second does not.
  test('with room for five and four present the first of two gets in', () => {
    const verdicts = judgeBatch(
      [
        { name: 'a.jpg', bytes: 1 },
        { name: 'b.jpg', bytes: 1 },
      ],
      chain(['/', { maxItems: 5 }]),
      { path: '/', items: 4 },
    );
    expect(verdicts.map(({ outcome }) => outcome)).toEqual(['accepted', 'refused']);
    expect(verdicts[1]?.reasons[0]).toMatchObject({ code: 'too-many', limit: 5, actual: 6, folder: '/' });
  });

  test('a refused file takes up no room', () => {
    const files = [
      { name: 'a.exe', bytes: 1 },
      { name: 'b.jpg', bytes: 1 },
    ];
    expect(
      judgeBatch(files, chain(['/', { maxItems: 1, deny: ['exe'] }]), here).map(({ outcome }) => outcome),
    ).toEqual(['refused', 'accepted']);
  });

  test('in any order of any files, exactly those that fit get in, the first ones first', () => {
    fc.assert(
      fc.property(
        fc.array(fc.constantFrom('a.jpg', 'b.exe'), { maxLength: 20 }),
        fc.nat(8),
        fc.nat(8),
        (names, room, present) => {
          const verdicts = judgeBatch(
            names.map((name) => ({ name, bytes: 1 })),
            chain(['/', { maxItems: room, deny: ['exe'] }]),
            { path: '/', items: present },
          );
          const fitting = names
            .map((name, index) => (name === 'a.jpg' ? index : -1))
            .filter((index) => index >= 0);
          const accepted = verdicts
            .map(({ outcome }, index) => (outcome === 'refused' ? -1 : index))
            .filter((index) => index >= 0);
          expect(accepted).toEqual(fitting.slice(0, Math.max(0, room - present)));
        },
      ),
    );
  });

  test('pixels and texts are judged when they are known, and not before', () => {
    const strict = chain(['/', { minWidth: 800, maxPixels: 1_000_000, requireTexts: ['alt'] }]);
    expect(judgeFile({ name: 'a.jpg', bytes: 1 }, strict, here).outcome).toBe('accepted');
    expect(
      codes(judgeFile({ name: 'a.jpg', bytes: 1, width: 640, height: 480, texts: ['title'] }, strict, here)),
    ).toEqual(['too-few-pixels', 'text-missing']);
    expect(
      codes(judgeFile({ name: 'a.jpg', bytes: 1, width: 2000, height: 1000, texts: ['alt'] }, strict, here)),
    ).toEqual(['too-many-pixels']);
  });
});

describe('warnings', () => {
  test('an empty file is refused, whatever the rules', () => {
    expect(codes(judgeFile({ name: 'a.txt', bytes: 0 }, chain(['/', {}]), here))).toEqual(['empty']);
  });

  test('a false extension is warned, and the file kept', () => {
    const verdict = judgeFile({ name: 'scan.png', bytes: 1, mime: 'image/jpeg' }, chain(['/', {}]), here);
    expect(verdict.outcome).toBe('warned');
    expect(verdict.reasons[0]).toMatchObject({
      code: 'type-mismatch',
      limit: 'image/png',
      actual: 'image/jpeg',
    });
  });

  test.each([
    [null, 'warned'],
    ['warn', 'warned'],
    ['allow', 'accepted'],
    ['refuse', 'refused'],
  ] as const)('with the rule %s the same bytes again are %s', (duplicates, outcome) => {
    const verdict = judgeFile(
      { name: 'a.jpg', bytes: 1, duplicateOf: '/b.jpg' },
      chain(['/', { duplicates }]),
      here,
    );
    expect(verdict.outcome).toBe(outcome);
  });
});

import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { cleanName, MAX_NAME_LENGTH, nameCandidates, splitName, withoutDirectionMarks } from './names.js';
import { originalAddress, parseMediaAddress } from './paths.js';

describe('marks of direction', () => {
  test.each([...'\u202a\u202b\u202c\u202d\u202e\u2066\u2067\u2068\u2069'])('%j is removed', (mark) => {
    const name = `photo${mark}gpj.exe`;
    expect(withoutDirectionMarks(name)).toBe('photogpj.exe');
    expect(cleanName(name)).toBe('photogpj.exe');
  });

  test('right-to-left letters themselves stay', () => {
    const name = 'מגדלור.jpg';
    expect(withoutDirectionMarks(name)).toBe(name);
    expect(cleanName(name)).toBe(name);
  });
});

describe('cleanName', () => {
  test.each([
    ['dusk.jpg', 'dusk.jpg'],
    ['../../etc/passwd', 'passwd'],
    ['C:\\pictures\\dusk.jpg', 'dusk.jpg'],
    ['photo~1.jpg', 'photo-1.jpg'],
    ['.htaccess', 'htaccess'],
    ['  two   spaces .jpg', 'two spaces .jpg'],
    ['a\u0000b\u001f.png', 'a-b-.png'],
    ['what?.jpg', 'what-.jpg'],
    ['ends with dots...', 'ends with dots'],
    ['möwe.jpg', 'möwe.jpg'],
    ['///', 'unnamed'],
    ['', 'unnamed'],
  ])('turns %j into %j', (name, expected) => {
    expect(cleanName(name)).toBe(expected);
  });

  test('changes nothing the second time, and never leaves what an address or a disk cannot hold', () => {
    fc.assert(
      fc.property(fc.string({ unit: 'binary', maxLength: 400 }), (name) => {
        const once = cleanName(name);
        expect(cleanName(once)).toBe(once);
        expect(once.length).toBeGreaterThan(0);
        expect(once.length).toBeLessThanOrEqual(MAX_NAME_LENGTH);
        expect(once).not.toMatch(/[/\\~:*?"<>|]/);
        expect(once).not.toMatch(/^\./);
      }),
    );
  });

  test.each([
    ['. !', '!'],
    ['.. . x', 'x'],
    ['a\ud83cb', 'a-b'],
    ['\udf2b.jpg', '-.jpg'],
    [`x${'🌫'.repeat(100)}`, `x${'🌫'.repeat(89)}`],
    [`x${'🌫'.repeat(100)}.jpg`, `x${'🌫'.repeat(87)}.jpg`],
    [`${'x'.repeat(179)} yyyy`, 'x'.repeat(179)],
    [`${'x'.repeat(200)}.${'y'.repeat(60)}`, `${'x'.repeat(119)}.${'y'.repeat(60)}`],
    [`${'x'.repeat(200)}.${'y'.repeat(61)}`, 'x'.repeat(180)],
    [`x.${'y'.repeat(300)}`, `x.${'y'.repeat(178)}`],
  ])('of %j leaves no half of a character, and nothing that the next time would take away', (name, clean) => {
    expect(cleanName(name)).toBe(clean);
  });

  test('of odd names of any length leaves one with an address, and so are the names that are tried after it', () => {
    const part = fc.constantFrom(
      ...[' ', '.', '~', '/', '🌫', '\ud83c', '\udf2b', 'é', 'e\u0301', '\u202e', 'x', '.jpg', 'word'],
    );
    const odd = fc.array(fc.tuple(part, fc.integer({ min: 1, max: 100 })), { minLength: 1, maxLength: 6 });
    fc.assert(
      fc.property(odd, (parts) => {
        const name = cleanName(parts.map(([text, times]) => text.repeat(times)).join(''));
        for (const one of take(nameCandidates(name), 3)) {
          expect(cleanName(one)).toBe(one);
          expect(one.length).toBeLessThanOrEqual(MAX_NAME_LENGTH);
          const address = decodeURIComponent(originalAddress('/a', one)).slice('/media'.length);
          expect(parseMediaAddress(address)).toEqual({ kind: 'original', folder: '/a', name: one });
        }
        expect(new Set(take(nameCandidates(name), 12)).size).toBe(12);
      }),
    );
  });

  test('keeps the extension of a name that is too long', () => {
    expect(cleanName(`${'x'.repeat(500)}.jpeg`)).toMatch(/^x+\.jpeg$/);
  });
});

test('splitName splits at the last dot and keeps a leading one', () => {
  expect(splitName('log.tar.GZ')).toEqual({ stem: 'log.tar', extension: 'gz' });
  expect(splitName('.profile')).toEqual({ stem: '.profile', extension: '' });
  expect(splitName('README')).toEqual({ stem: 'README', extension: '' });
  expect(splitName('plan.')).toEqual({ stem: 'plan.', extension: '' });
});

test('nameCandidates counts up before the extension', () => {
  const [first, second, third] = nameCandidates('dusk.jpg');
  expect([first, second, third]).toEqual(['dusk.jpg', 'dusk-2.jpg', 'dusk-3.jpg']);
  expect([...take(nameCandidates('README'), 2)]).toEqual(['README', 'README-2']);
  const [, longest] = nameCandidates(`${'x'.repeat(MAX_NAME_LENGTH - 4)}.jpg`);
  expect(longest).toBe(`${'x'.repeat(MAX_NAME_LENGTH - 6)}-2.jpg`);
});

function* take<Item>(items: Iterable<Item>, count: number): Generator<Item> {
  let left = count;
  for (const item of items) {
    if (left === 0) return;
    left -= 1;
    yield item;
  }
}

import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { cleanName, MAX_NAME_LENGTH, nameCandidates, splitName, withoutDirectionMarks } from './names.js';

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

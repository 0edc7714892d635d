import { describe, expect, test } from 'vitest';
import { readRange, requireKey } from './copy-checks.js';
import { keyOfPath, pathOfKey } from './key-paths.js';

describe('the path of a key', () => {
  test.each([
    ['news/dusk.jpg', 'news/dusk.jpg'],
    ['news/dusk', 'news/dusk%f'],
    ['2026.05/dusk.jpg', '2026.05%d/dusk.jpg'],
    ['double//slash/', 'double/%e/slash/%f'],
    ['/first', '%e/first%f'],
    ['per%20cent.txt', 'per%2520cent.txt'],
    ['back\\slash.txt', 'back%5Cslash.txt'],
    ['tab\tand\u0000.txt', 'tab%09and%00.txt'],
    ['../up.txt', '%2E.%d/up.txt'],
    // A folder of one dot has no dot once it is encoded.
    ['./here.txt', '%2E/here.txt'],
    ['...', '%2E..'],
    ['.hidden', '.hidden'],
    ['灯台/🗼.jpg', '灯台/🗼.jpg'],
  ])('%j is %j, and back', (key, path) => {
    expect(pathOfKey(key)).toBe(path);
    expect(keyOfPath(pathOfKey(key))).toBe(key);
  });

  /** POSIX NAME_MAX is 255 on Linux; source: limits.h(0p), NAME_MAX. */
  test.each([252, 253, 254, 255, 506, 507, 1024])('of %i bytes has names that a disk keeps', (bytes) => {
    for (const character of ['x', '.', 'é', '🗼']) {
      const key = character.repeat(Math.floor(bytes / Buffer.byteLength(character)));
      const path = pathOfKey(key);
      expect(keyOfPath(path)).toBe(key);
      for (const name of path.split('/')) expect(Buffer.byteLength(name)).toBeLessThanOrEqual(255);
    }
  });

  test('is cut only where it must be', () => {
    expect(pathOfKey('x'.repeat(253))).toBe(`${'x'.repeat(253)}%f`);
    expect(pathOfKey('x'.repeat(254))).toBe(`${'x'.repeat(253)}%c/x%f`);
  });

  test('is that of no other key', () => {
    const keys = [
      'a',
      'a%f',
      'a/',
      'a/%e',
      '%e/a',
      '/a',
      'a.b/c',
      'a.b%d/c',
      'a.b',
      '.',
      '%2E',
      '..',
      'a//b',
      'a/b',
    ];
    expect(new Set(keys.map(pathOfKey)).size).toBe(keys.length);
  });
});

test('a key has 1 to 1,024 bytes', () => {
  for (const key of ['a', 'x'.repeat(1024), 'é'.repeat(512)]) requireKey(key);
  for (const key of ['', 'x'.repeat(1025), 'é'.repeat(513)])
    expect(() => requireKey(key)).toThrow('Expected a key of 1 to 1024 bytes');
});

test('a range is cut at the end of an object', () => {
  expect(readRange(undefined, 10)).toEqual({ start: 0, end: 9 });
  expect(readRange({ start: 2, end: 5 }, 10)).toEqual({ start: 2, end: 5 });
  expect(readRange({ start: 2, end: 9 }, 10)).toEqual({ start: 2, end: 9 });
  expect(readRange({ start: 2, end: 50 }, 10)).toEqual({ start: 2, end: 9 });
});

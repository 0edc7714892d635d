import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { cleanName } from './names.js';
import {
  isWithin,
  joinPath,
  originalAddress,
  parentPath,
  parseFolderPath,
  parseMediaAddress,
  pathChain,
  renditionAddress,
} from './paths.js';

const nameArbitrary = fc.string({ unit: 'grapheme', minLength: 1, maxLength: 30 }).map(cleanName);
const folderArbitrary = fc.array(nameArbitrary, { maxLength: 4 }).map((names) => `/${names.join('/')}`);

describe('parseFolderPath', () => {
  test.each([
    ['', '/'],
    ['/', '/'],
    ['lights/gannet', '/lights/gannet'],
    ['//lights///gannet/', '/lights/gannet'],
  ])('reads %j as %j', (text, path) => {
    expect(parseFolderPath(text)).toEqual({ ok: true, path });
  });

  test.each(['../up', 'lights/../../etc', 'a/./b', 'a~b', 'a\u0000b', '.hidden'])('refuses %j', (text) => {
    expect(parseFolderPath(text).ok).toBe(false);
  });
});

test('the chain of a path leads from the top down, and each part lies within those before', () => {
  fc.assert(
    fc.property(folderArbitrary, (path) => {
      const chain = pathChain(path);
      expect(chain[0]).toBe('/');
      expect(chain.at(-1)).toBe(path);
      chain.forEach((step, index) => {
        expect(parentPath(step)).toBe(chain[index - 1] ?? null);
        expect(isWithin(path, step)).toBe(true);
      });
    }),
  );
});

test('a folder is not within one whose name only begins like its own', () => {
  expect(isWithin('/lights-old', '/lights')).toBe(false);
});

describe('addresses', () => {
  test('an address of an original reads back as folder and name', () => {
    fc.assert(
      fc.property(folderArbitrary, nameArbitrary, (folder, name) => {
        const decoded = decodeURIComponent(originalAddress(folder, name)).slice('/media'.length);
        expect(parseMediaAddress(decoded)).toEqual({ kind: 'original', folder, name });
      }),
    );
  });

  test('an address of a rendition reads back as stem, recipe and extension', () => {
    fc.assert(
      fc.property(folderArbitrary, nameArbitrary, (folder, stem) => {
        const decoded = decodeURIComponent(renditionAddress(folder, stem, 'wide', 'jpg')).slice(
          '/media'.length,
        );
        expect(parseMediaAddress(decoded)).toEqual({
          kind: 'rendition',
          folder,
          stem,
          recipe: 'wide',
          extension: 'jpg',
          variant: null,
        });
        const rung = decodeURIComponent(renditionAddress(folder, stem, 'wide', '500w.webp')).slice(
          '/media'.length,
        );
        expect(parseMediaAddress(rung)).toMatchObject({ stem, recipe: 'wide', variant: '500w.webp' });
      }),
    );
  });

  test('an address is one that a URL parser leaves as it is (RFC 3986 §6.2.2)', () => {
    fc.assert(
      fc.property(folderArbitrary, nameArbitrary, (folder, name) => {
        const address = originalAddress(folder, name);
        expect(new URL(address, 'http://uniferum.example').pathname).toBe(address);
      }),
    );
  });

  test('joins a name to the top folder with one slash', () => {
    expect(joinPath('/', 'a.jpg')).toBe('/a.jpg');
  });
});

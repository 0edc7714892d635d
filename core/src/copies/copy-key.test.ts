import fc from 'fast-check';
import { expect, test } from 'vitest';
import { copyKey } from './copy-key.js';

const sha256 = '3fa9c2d17b6e0'.padEnd(64, '0');
const of = (folder: string, name: string, mark = '12') => copyKey({ folder, name, mark, sha256 });

test('a key keeps folder, name and extension', () => {
  expect(of('/lights/Gannet Head', 'dusk + é.jpg')).toBe('lights/Gannet Head/dusk + é.12-3fa9c2d17b6e.jpg');
  expect(of('/', 'plan')).toBe('plan.12-3fa9c2d17b6e');
  expect(of('/a', '.htaccess')).toBe('a/.htaccess.12-3fa9c2d17b6e');
  expect(of('/a', 'dusk~wide.webp')).toBe('a/dusk~wide.12-3fa9c2d17b6e.webp');
});

test('no segment leads elsewhere', () => {
  expect(of('/../.', 'x.jpg')).toBe('__/_/x.12-3fa9c2d17b6e.jpg');
});

test('one that is too long loses its folders, and then the end of its name', () => {
  expect(of(`/${'a'.repeat(600)}`, `${'b'.repeat(230)}.jpg`)).toBe(`${'b'.repeat(230)}.12-3fa9c2d17b6e.jpg`);
  const long = of('/a', `${'é'.repeat(600)}.jpg`);
  expect(long).toMatch(/^é+\.12-3fa9c2d17b6e\.jpg$/);
  expect(new TextEncoder().encode(long).length).toBeLessThanOrEqual(824);
});

test('the bytes of every character are counted', () => {
  for (const [character, bytes] of [
    ['a', 1],
    ['é', 2],
    ['灯', 3],
    ['🗼', 4],
  ] as const) {
    const key = of('/', `${character.repeat(1000)}.jpg`);
    expect(new TextEncoder().encode(key).length).toBeGreaterThan(824 - bytes);
    expect(new TextEncoder().encode(key).length).toBeLessThanOrEqual(824);
  }
});

test('property: keys fit, and different copies or bytes never share one', () => {
  const named = fc.record({
    folder: fc.string({ maxLength: 700, unit: 'binary' }).map((path) => `/${path}`),
    name: fc.string({ minLength: 1, maxLength: 300, unit: 'binary' }),
    mark: fc.bigInt({ min: 1n, max: 10n ** 15n }).map(String),
    sha256: fc.stringMatching(/^[0-9a-f]{64}$/),
  });
  fc.assert(
    fc.property(
      named,
      fc.bigInt({ min: 1n, max: 10n ** 15n }),
      fc.stringMatching(/^[0-9a-f]{64}$/),
      (one, id, digest) => {
        const key = copyKey(one);
        expect(new TextEncoder().encode(key).length).toBeLessThanOrEqual(824);
        if (String(id) !== one.mark) expect(copyKey({ ...one, mark: String(id) })).not.toBe(key);
        if (digest.slice(0, 12) !== one.sha256.slice(0, 12))
          expect(copyKey({ ...one, sha256: digest })).not.toBe(key);
      },
    ),
  );
});

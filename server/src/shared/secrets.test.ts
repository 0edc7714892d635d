import { expect, test } from 'vitest';
import { openSecret, sealSecret } from './secrets.js';

const config = { masterKey: 'the key of the first light' };

test('a secret comes back, and looks different each time it is sealed', () => {
  const [one, two] = [sealSecret(config, 'påsswörd'), sealSecret(config, 'påsswörd')];
  expect(openSecret(config, one)).toBe('påsswörd');
  expect(openSecret(config, sealSecret(config, ''))).toBe('');
  expect(one).not.toBe(two);
  expect(Buffer.from(one, 'base64').toString('latin1')).not.toContain('ssw');
});

test('another master key, or a changed byte, opens nothing', () => {
  const sealed = sealSecret(config, 'secret');
  expect(() => openSecret({ masterKey: 'the key of another light' }, sealed)).toThrow();
  const bytes = Buffer.from(sealed, 'base64');
  for (const at of [0, 15, bytes.length - 1]) {
    const changed = Buffer.from(bytes);
    changed[at] = (changed[at] ?? 0) ^ 1;
    expect(() => openSecret(config, changed.toString('base64')), String(at)).toThrow();
  }
});

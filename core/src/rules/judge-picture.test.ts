import { expect, test } from 'vitest';
import { judgePicture } from './judge-picture.js';

test('each note about a picture is a warning that names the file', () => {
  const found = judgePicture('dusk.psd', ['truncated', 'animated-png', 'deep', 'no-preview', 'measurements']);
  expect(found.map(({ code }) => code)).toEqual([
    'truncated',
    'reduced',
    'reduced',
    'not-showable',
    'not-showable',
  ]);
  for (const { message, ...rest } of found) {
    expect(message).toMatch(/^dusk\.psd /);
    expect(rest).toMatchObject({ limit: null, actual: null, folder: null });
  }
  expect(judgePicture('dusk.psd', [])).toEqual([]);
});

import { expect, test } from 'vitest';
import { parseDataUri } from './data-uri.js';

const text = (uri: string) => {
  const read = parseDataUri(uri);
  return read.ok ? [read.mime, new TextDecoder().decode(read.bytes)] : read.reason;
};

/** RFC 2397, section 3. */
test.each([
  ['DATA:,a', ['text/plain', 'a']],
  ['data:IMAGE/PNG,a', ['image/png', 'a']],
  ['data: text/html ;charset=utf-8,a', ['text/html', 'a']],
  ['data:;base64,Zm9n', ['text/plain', 'fog']],
  ['data:text/plain; base64 ,Zm9n', ['text/plain', 'fog']],
  ['data:text/plain;base64;charset=x,Zm9n', ['text/plain', 'Zm9n']],
  ['data:text/plain;xbase64,Zm9n', ['text/plain', 'Zm9n']],
  ['data:text/plain;base64x,Zm9n', ['text/plain', 'Zm9n']],
  ['data:,%41%4a', ['text/plain', 'AJ']],
  ['data:;base64,Zm 9n', ['text/plain', 'fog']],
  // RFC 4648, section 5: the alphabet for addresses.
  ['data:;base64,Pz8_', ['text/plain', '???']],
  ['data:,', ['text/plain', '']],
])('%s', (uri, read) => {
  expect(text(uri)).toEqual(read);
});

test.each([
  ['xdata:,a', 'it does not begin with "data:"'],
  ['data:text/plain', 'it has no comma before its data'],
  ['data:text,a', '"text" is not a media type'],
  ['data:/plain,a', '"/plain" is not a media type'],
  ['data:text/pl@in,a', '"text/pl@in" is not a media type'],
  ['data:te xt/plain,a', '"te xt/plain" is not a media type'],
  ['data:,%4', 'a "%" in it is not followed by two hexadecimal digits'],
  ['data:,%x4', 'a "%" in it is not followed by two hexadecimal digits'],
  ['data:,%4x', 'a "%" in it is not followed by two hexadecimal digits'],
  ['data:;base64,a', 'its data is not valid base64'],
])('%s is refused', (uri, reason) => {
  expect(text(uri)).toBe(reason);
});

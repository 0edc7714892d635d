import { expect, test } from 'vitest';
import { extensionOfMime, kindOfMime } from './media-types.js';
import { type Reason, type Verdict, withRefusal, withWarning } from './verdict.js';

const reason = (code: Reason['code']): Reason => ({
  code,
  message: code,
  limit: null,
  actual: null,
  folder: null,
});
const verdict = (outcome: Verdict['outcome']): Verdict => ({
  name: 'a.jpg',
  outcome,
  reasons: [reason('duplicate')],
});

test('a warning is added, and does not weaken a refusal', () => {
  expect(withWarning(verdict('accepted'), reason('name-taken'))).toEqual({
    name: 'a.jpg',
    outcome: 'warned',
    reasons: [reason('duplicate'), reason('name-taken')],
  });
  expect(withWarning(verdict('refused'), reason('name-taken')).outcome).toBe('refused');
});

test('a refusal keeps the reasons that were there', () => {
  expect(withRefusal(verdict('warned'), reason('empty'))).toEqual({
    name: 'a.jpg',
    outcome: 'refused',
    reasons: [reason('duplicate'), reason('empty')],
  });
});

test.each([
  ['image/jpeg', 'image', 'jpg'],
  ['image/svg+xml', 'vector', 'svg'],
  ['image/x-unheard-of', 'image', null],
  ['audio/x-unheard-of', 'audio', null],
  ['video/x-unheard-of', 'video', null],
  ['application/x-unheard-of', 'document', null],
  ['font/x-unheard-of', 'document', null],
  ['image', 'document', null],
])('%s is of the kind %s', (mime, kind, extension) => {
  expect(kindOfMime(mime)).toBe(kind);
  expect(extensionOfMime(mime)).toBe(extension);
});

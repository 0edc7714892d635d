import { expect, test } from 'vitest';
import { EMPTY_CONNECTION, fromConnection, toNewConnection, toPatch, toTest } from './connection-form.js';

const TYPED = {
  ...EMPTY_CONNECTION,
  ...{ name: 'Media', endpoint: 'https://objects.example', region: 'farrow-1', bucket: 'lights' },
  ...{ accessKey: 'keeper', secret: 'lamp' },
};
const SETTINGS = {
  ...{ endpoint: 'https://objects.example', region: 'farrow-1', bucket: 'lights', prefix: '' },
  ...{ addressing: 'path', accessKey: 'keeper', publicUrl: null, maxParallel: 8, maxPerSecond: null },
};

test('what is typed becomes a request; empty fields become none', () => {
  expect(toNewConnection(TYPED)).toEqual({ name: 'Media', settings: SETTINGS, secret: 'lamp' });
  const full = { ...TYPED, publicUrl: 'https://media.example', maxPerSecond: '0.5' };
  expect(toNewConnection(full).settings).toMatchObject({
    publicUrl: 'https://media.example',
    maxPerSecond: 0.5,
  });
});

test("a secret that isn't typed is not sent", () => {
  expect(toPatch({ ...TYPED, secret: '' })).toEqual({ name: 'Media', settings: SETTINGS });
  expect(toPatch(TYPED)).toMatchObject({ secret: 'lamp' });
});

test('a test uses the secret that is typed, or that of the saved connection', () => {
  expect(toTest(TYPED, '7')).toEqual({ settings: SETTINGS, secret: 'lamp' });
  expect(toTest({ ...TYPED, secret: '' }, '7')).toEqual({ settings: SETTINGS, id: '7' });
  expect(toTest({ ...TYPED, secret: '' }, null)).toEqual({ settings: SETTINGS });
});

test('a saved connection is shown as it was typed', () => {
  const settings = { ...SETTINGS, addressing: 'path' as const };
  const answer = {
    ...{ id: '7', kind: 'bucket' as const, name: 'Media', settings },
    ...{ secretSetAt: null, createdAt: '', updatedAt: '' },
  };
  expect(toNewConnection({ ...fromConnection(answer), secret: 'lamp' })).toEqual(toNewConnection(TYPED));
});

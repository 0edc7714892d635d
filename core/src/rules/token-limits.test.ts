import { expect, test } from 'vitest';
import type { Verdict } from '../intake/verdict.js';
import type { FileFacts } from './evaluate.js';
import { limitByToken, withTokenLimits } from './token-limits.js';

const NONE = { maxBytes: null, maxItems: null, allow: [] };
const ACCEPTED: Verdict = { name: 'dusk.jpg', outcome: 'accepted', reasons: [] };
const file = (more: Partial<FileFacts> = {}): FileFacts => ({ name: 'dusk.jpg', bytes: 10, ...more });
const codes = ({ reasons }: Verdict) => reasons.map(({ code }) => code);

test('a token without limits changes no verdict', () => {
  expect(withTokenLimits(ACCEPTED, file(), NONE, 1000)).toEqual(ACCEPTED);
});

test('each limit holds at its last value, and not one further', () => {
  const limited = (limits: object, facts: Partial<FileFacts> = {}, used = 0) =>
    codes(withTokenLimits(ACCEPTED, file(facts), { ...NONE, ...limits }, used));
  expect(limited({ maxBytes: 10 })).toEqual([]);
  expect(limited({ maxBytes: 9 })).toEqual(['too-large']);
  expect(limited({ maxItems: 2 }, {}, 1)).toEqual([]);
  expect(limited({ maxItems: 2 }, {}, 2)).toEqual(['too-many']);
  expect(limited({ allow: ['image/*'] }, { mime: 'image/jpeg' })).toEqual([]);
  expect(limited({ allow: ['image/*'] }, { mime: 'text/html' })).toEqual(['type-not-allowed']);
  expect(limited({ allow: ['image/*'] }, { name: 'dusk' })).toEqual(['type-not-allowed']);
});

test('what the folder refuses stays refused, with both reasons', () => {
  const refused: Verdict = {
    ...ACCEPTED,
    outcome: 'refused',
    reasons: [{ code: 'empty', limit: 1, actual: 0, folder: null, message: 'empty' }],
  };
  const verdict = withTokenLimits(refused, file(), { ...NONE, maxBytes: 1 }, 0);
  expect(codes(verdict)).toEqual(['empty', 'too-large']);
  expect(verdict.outcome).toBe('refused');
});

test('of several files the accepted ones use up the token, and the refused ones do not', () => {
  const files = [file(), file({ bytes: 99 }), file(), file()];
  const verdicts = limitByToken(
    files.map(() => ACCEPTED),
    files,
    { ...NONE, maxBytes: 50, maxItems: 3 },
    1,
  );
  expect(verdicts.map(codes)).toEqual([[], ['too-large'], [], ['too-many']]);
});

test('what is refused has no warnings beside the reasons', () => {
  const reason = { code: 'duplicate', limit: null, actual: null, folder: null, message: 'twice' } as const;
  const warned: Verdict = { ...ACCEPTED, outcome: 'warned', reasons: [reason] };
  expect(codes(withTokenLimits(warned, file(), { ...NONE, maxBytes: 1 }, 0))).toEqual(['too-large']);
  expect(codes(withTokenLimits(warned, file(), NONE, 0))).toEqual(['duplicate']);
});

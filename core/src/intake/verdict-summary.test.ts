import { expect, test } from 'vitest';
import { type Outcome, REASON_CODES, type ReasonCode, type Verdict } from './verdict.js';
import { REASON_WORDS, summarizeVerdicts } from './verdict-summary.js';

const verdict = (outcome: Outcome, ...codes: ReasonCode[]): Verdict => ({
  name: 'a.jpg',
  outcome,
  reasons: codes.map((code) => ({ code, message: '', limit: null, actual: null, folder: null })),
});

test('counts outcomes, and why files were refused, the most frequent reason first', () => {
  const verdicts = [
    verdict('accepted'),
    verdict('warned', 'duplicate'),
    verdict('refused', 'type-denied', 'too-large'),
    verdict('refused', 'too-many'),
    verdict('refused', 'type-not-allowed'),
    verdict('refused', 'empty'),
  ];
  expect(summarizeVerdicts(verdicts)).toEqual({
    accepted: 1,
    warned: 1,
    refused: 4,
    refusals: [
      { words: 'type', files: 2 },
      { words: 'empty', files: 1 },
      { words: 'no room', files: 1 },
    ],
  });
});

test('nothing is counted of nothing, and a refusal without a reason still counts', () => {
  expect(summarizeVerdicts([])).toEqual({ accepted: 0, warned: 0, refused: 0, refusals: [] });
  expect(summarizeVerdicts([verdict('refused')]).refusals).toEqual([{ words: 'no reason given', files: 1 }]);
});

test('every reason has its word', () => {
  expect(Object.keys(REASON_WORDS).sort()).toEqual([...REASON_CODES].sort());
  for (const words of Object.values(REASON_WORDS)) expect(words).toMatch(/^[a-z][a-z ]+$/);
});

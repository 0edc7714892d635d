import { createHmac } from 'node:crypto';
import { afterAll, beforeAll, beforeEach, describe, expect, test } from 'vitest';
import { collect } from '../testing/calls.js';
import { type OutsideSite, startOutsideSite } from '../testing/outside-site.js';
import { Checks } from './checks.js';
import { askCheck, checkSecret, sign } from './custom-check.js';

let site: OutsideSite;
let asked: { headers: Record<string, unknown>; body: string }[] = [];
beforeAll(async () => {
  site = await startOutsideSite();
});
afterAll(() => site.close());
beforeEach(() => {
  asked = [];
});

const question = {
  name: 'dusk.jpg',
  folder: '/lights',
  bytes: 10,
  mime: 'image/jpeg',
  sha256: 'a'.repeat(64),
  width: 6,
  height: 4,
  texts: { title: 'Dusk', alt: null, caption: null, credit: null, keywords: [] },
};
const config = () => ({ allowedHosts: new Set([site.host]), masterKey: 'the key of this installation' });
/** Asks a check that answers with this text. */
async function ask(answer: string | null, onFailure: 'accept' | 'refuse' = 'refuse', timeoutMs = 5000) {
  site.pages.set('/check', async (req, res) => {
    asked.push({ headers: req.headers, body: (await collect(req)).toString() });
    if (answer !== null) res.end(answer);
  });
  return askCheck(config(), { url: `http://${site.host}/check`, timeoutMs, onFailure }, question);
}

test('the question is signed, so that its receiver can tell who asks', async () => {
  expect(await ask('{"accept": true}')).toEqual({ isAccepted: true, isAnswer: true, message: null });
  const [{ headers, body } = { headers: {}, body: '' }] = asked;
  expect(JSON.parse(body)).toMatchObject({ type: 'intake.check', data: question });
  expect(headers['content-type']).toBe('application/json');
  expect(headers['webhook-id']).toMatch(/^msg_[0-9a-f-]{36}$/);
  expect(Math.abs(Number(headers['webhook-timestamp']) - Date.now() / 1000)).toBeLessThan(60);
  const secret = checkSecret(config(), `http://${site.host}/check`);
  const content = `${headers['webhook-id']}.${headers['webhook-timestamp']}.${body}`;
  expect(headers['webhook-signature']).toBe(sign(secret, content));
});

/** Source: Standard Webhooks 1.0.0, "Symmetric": `v1,` and the base64 of an HMAC-SHA256; here by the platform itself. */
test('a signature is that of the standard, and a secret is of one address', () => {
  const secret = checkSecret(config(), 'https://a.example/check');
  expect(secret).toMatch(/^whsec_[A-Za-z0-9+/]{43}=$/);
  expect(secret).not.toBe(checkSecret(config(), 'https://b.example/check'));
  const key = Buffer.from(secret.slice('whsec_'.length), 'base64');
  expect(sign(secret, 'x')).toBe(`v1,${createHmac('sha256', key).update('x').digest('base64')}`);
});

describe('an answer', () => {
  test.each([
    ['{"accept": false, "message": "too dark"}', false, 'too dark'],
    ['{"accept": true, "message": ""}', true, null],
    ['{"accept": true, "more": 1}', true, null],
  ])('%s', async (answer, isAccepted, message) => {
    expect(await ask(answer)).toEqual({ isAccepted, isAnswer: true, message });
  });

  test.each([
    ['{"accept": "yes"}', 'its answer is not { "accept": true or false, "message" }'],
    ['{}', 'its answer is not { "accept": true or false, "message" }'],
    [`{"accept": true, "message": "${'x'.repeat(501)}"}`, 'its answer is not { "accept"'],
    ['<html>', 'its answer is not JSON'],
    [`"${'x'.repeat(64_001)}"`, 'its answer is too long'],
  ])('that is none (%.20s) is decided by the rule, and said', async (answer, message) => {
    for (const onFailure of ['accept', 'refuse'] as const)
      expect(await ask(answer, onFailure)).toEqual({
        isAccepted: onFailure === 'accept',
        isAnswer: false,
        message: expect.stringContaining(message),
      });
  });

  test('that does not come in time, too', async () => {
    expect(await ask(null, 'refuse', 150)).toMatchObject({
      isAccepted: false,
      isAnswer: false,
      message: expect.stringContaining('150 ms'),
    });
  });
});

test('an answer is read up to 64,000 bytes', async () => {
  const answer = (bytes: number) => '{"accept": true}'.padEnd(bytes);
  expect(await ask(answer(64_000))).toMatchObject({ isAccepted: true, isAnswer: true });
  expect(await ask(answer(64_001))).toMatchObject({ isAnswer: false, message: 'its answer is too long' });
});

test('several files are asked about at a time, and never more than six', async () => {
  const waiting: (() => void)[] = [];
  let most = 0;
  let left = 20;
  site.pages.set('/check', async (req, res) => {
    await collect(req);
    waiting.push(() => res.end('{"accept": true}'));
    most = Math.max(most, waiting.length);
    left -= 1;
    // Answers come when as many are waiting as there can be.
    if (waiting.length === 6 || left === 0) for (const answer of waiting.splice(0)) answer();
  });
  const row = {
    ...question,
    width: 6,
    height: 4,
    title: null,
    alt: null,
    caption: null,
    credit: null,
    keywords: '[]',
  };
  const subjects = Array.from({ length: 20 }, (_, n) => ({ row, name: `${n}.jpg`, folder: '/lights' }));
  await new Checks().ask(
    config() as never,
    { url: `http://${site.host}/check`, timeoutMs: 10_000, onFailure: 'refuse' },
    subjects as never,
  );
  expect([most, left]).toEqual([6, 0]);
});

import { describe, expect, test } from 'vitest';
import { UniferumError } from '../shared/errors.js';
import { PRIVATE_TARGET } from '../shared/outgoing.js';
import { adviseRetry, codeOfBucketError, explainBucketError } from './bucket-faults.js';

interface Answered {
  status?: number;
  /** As the store names it. */
  Code?: string;
  /** As the network names it. */
  code?: string;
  name?: string;
  retryAfter?: string;
  cause?: unknown;
}

/** An error as the client of a bucket throws it. */
function errorOf({ status, retryAfter, ...more }: Answered): Error {
  return Object.assign(new Error('the words of the store'), more, {
    ...(status !== undefined && { $metadata: { httpStatusCode: status } }),
    ...(retryAfter !== undefined && { $response: { headers: { 'retry-after': retryAfter } } }),
  });
}
const explain = (answered: Answered, key: string | null = 'dusk.jpg') =>
  explainBucketError(errorOf(answered), 'cellar', key) as UniferumError;

test("an error is named by the store's answer, then by the network, then by itself", () => {
  expect(codeOfBucketError(errorOf({ Code: 'SlowDown', code: 'EPIPE', name: 'TimeoutError' }))).toBe(
    'SlowDown',
  );
  expect(codeOfBucketError(errorOf({ code: 'EPIPE', name: 'TimeoutError' }))).toBe('EPIPE');
  expect(codeOfBucketError(errorOf({ name: 'TimeoutError' }))).toBe('TimeoutError');
  expect(codeOfBucketError({})).toBe('');
});

describe('a call', () => {
  test.each<[Answered, boolean]>([
    // RFC 6585 §4, RFC 9110 §15.6, RFC 4918 §11.5; the codes are those of the common bucket interface.
    [{ status: 429 }, true],
    [{ status: 499 }, false],
    [{ status: 500 }, true],
    [{ status: 501 }, false],
    [{ status: 502 }, true],
    [{ status: 503 }, true],
    [{ status: 507 }, false],
    [{ status: 508 }, true],
    [{ status: 400, Code: 'RequestTimeout' }, true],
    [{ status: 400, Code: 'SlowDown' }, true],
    [{ status: 403, Code: 'RequestTimeTooSkewed' }, true],
    [{ status: 403, Code: 'AccessDenied' }, false],
    [{ status: 404, Code: 'NoSuchKey' }, false],
    [{ code: 'ECONNREFUSED' }, true],
    [{ code: 'ECONNRESET' }, true],
    [{ code: 'ETIMEDOUT' }, true],
    [{ code: 'ENOTFOUND' }, true],
    [{ code: 'UND_ERR_SOCKET' }, true],
    [{ code: 'ENOENT' }, false],
    [{ code: 'NOT_ECONNRESET' }, false],
    [{ name: 'TimeoutError' }, true],
    [{ name: 'TimeoutErrors' }, false],
    [{}, false],
  ])('answered with %j may be repeated: %s', (answered, mayRetry) => {
    expect(adviseRetry(errorOf(answered))).toEqual({ mayRetry, afterMs: null });
  });

  test('waits as long as the store asks', () => {
    expect(adviseRetry(errorOf({ status: 503, retryAfter: '7' }))).toEqual({ mayRetry: true, afterMs: 7000 });
    expect(adviseRetry(errorOf({ status: 503, retryAfter: '1234567890' })).afterMs).toBeNull();
    // Its clock was set by the answer: the next attempt fits.
    expect(adviseRetry(errorOf({ Code: 'RequestTimeTooSkewed', retryAfter: '7' })).afterMs).toBeNull();
  });

  test('that ended with an error of ours is repeated where bytes were damaged on the way', () => {
    expect(adviseRetry(new UniferumError('bytes-damaged', '')).mayRetry).toBe(true);
    expect(adviseRetry(new UniferumError('store-away', '')).mayRetry).toBe(false);
  });
});

describe('an error', () => {
  test.each<[Answered, string, RegExp]>([
    [
      { code: 'ECONNREFUSED' },
      'store-away',
      /^The store "cellar" can't be used right now\. It can't be reached \(ECONNREFUSED\)\. Nothing was lost\.$/,
    ],
    [{ status: 503, Code: 'SlowDown' }, 'store-away', /It answers with status 503 \(SlowDown\)\./],
    [{ status: 403, Code: 'InvalidAccessKeyId' }, 'store-away', /Check the access key/],
    [{ status: 403, Code: 'RequestTimeTooSkewed' }, 'store-away', /Set the clock/],
    [{ status: 404, Code: 'NoSuchBucket' }, 'store-away', /Check its name/],
    [{ status: 400, Code: 'BadDigest' }, 'bytes-damaged', /^The bytes of dusk\.jpg changed on their way/],
    [{ status: 400, Code: 'XAmzContentSHA256Mismatch' }, 'bytes-damaged', /changed on their way to "cellar"/],
    [{ status: 404, Code: 'NoSuchKey' }, 'not-found', /^dusk\.jpg is not in the store "cellar"\.$/],
    [{ Code: 'NoSuchKey' }, 'not-found', /dusk\.jpg/],
    [{ status: 404 }, 'not-found', /dusk\.jpg/],
    [{ status: 403 }, 'store-refused', /refused access to dusk\.jpg\. Give the access key the right/],
    [{ status: 507 }, 'storage-full', /is full/],
    [{ status: 400, Code: 'QuotaExceeded' }, 'storage-full', /is full/],
    [{ status: 400, Code: 'Odd' }, 'store-refused', /refused dusk\.jpg: the words of the store$/],
  ])('of %j is %s', (answered, code, message) => {
    expect(explain(answered)).toMatchObject({ code, message: expect.stringMatching(message) });
    expect(explain(answered).cause).toBeInstanceOf(Error);
  });

  test.each<[Answered, RegExp]>([
    [{ status: 404 }, /^The object is not in/],
    [{ status: 403 }, /refused access to the bucket\./],
    [{ status: 400, Code: 'Odd' }, /refused the request: /],
    [{ status: 400, Code: 'BadDigest' }, /^The bytes of cellar changed/],
  ])('of %j without a key names none', (answered, message) => {
    expect(explain(answered, null).message).toMatch(message);
  });

  test('says when to come back: as the store asks, in whole seconds, or soon', () => {
    const after = (answered: Answered) => explain(answered).options.retryAfterSeconds;
    expect(after({ status: 503 })).toBe(15);
    expect(after({ status: 507 })).toBe(15);
    expect(after({ status: 503, retryAfter: '90' })).toBe(90);
    const soon = after({ status: 503, retryAfter: new Date(Date.now() + 60_000).toUTCString() });
    expect(Number.isInteger(soon) && Number(soon) > 50 && Number(soon) <= 60).toBe(true);
    expect(after({ status: 404 })).toBeUndefined();
  });

  test('of a private target waits until the configuration allows it, wherever it is said', () => {
    for (const answered of [{ code: PRIVATE_TARGET }, { cause: { code: PRIVATE_TARGET } }])
      expect(explain(answered)).toMatchObject({
        code: 'store-away',
        message: expect.stringContaining('the words of the store'),
        options: { retryAfterSeconds: 15 },
      });
  });

  test('of ours, and one that is no answer of the store, stays what it is', () => {
    for (const error of [new UniferumError('conflict', 'no'), new TypeError('a fault of the program')])
      expect(explainBucketError(error, 'cellar', 'k')).toBe(error);
  });
});

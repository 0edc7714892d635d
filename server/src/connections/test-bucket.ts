import { hash, randomUUID } from 'node:crypto';
import { Readable } from 'node:stream';
import { buffer } from 'node:stream/consumers';
import { ListObjectsV2Command, type S3Client } from '@aws-sdk/client-s3';
import {
  BUCKET_TEST_STEPS,
  type BucketSettings,
  type BucketTestStep,
  objectAddress,
} from '@uniferum/core/connections';
import type { TestStep } from '@uniferum/core/shared';
import type { Config } from '../shared/config.js';
import { UniferumError } from '../shared/errors.js';
import { FetchFailure, fetchAddress, readBody } from '../shared/outgoing.js';
import { createBucketClient } from '../stores/bucket-client.js';
import { codeOfBucketError, explainBucketError } from '../stores/bucket-faults.js';
import { BucketStore } from '../stores/bucket-store.js';

/** Signatures fail when clocks differ by more. Source: the common bucket interface. */
const MAX_SKEW_MS = 15 * 60_000;
/** From this difference on, the test mentions it. */
const NOTABLE_SKEW_MS = 5 * 60_000;
const CONTENT = Buffer.from('Uniferum tests whether it may write here. This file can be deleted.\n');
const NAME = 'bucket';

/** A step that fails, and what to do. */
class StepFault extends Error {
  readonly step: BucketTestStep;
  constructor(step: BucketTestStep, message: string) {
    super(message);
    this.step = step;
  }
}

type Pass = (name: BucketTestStep, message: string) => void;
type TestConfig = Pick<Config, 'allowedHosts'>;

/**
 * Tests a bucket step by step, up to the first step that fails: a small object is written, read, and deleted. Nothing
 * that is there is changed.
 */
export async function testBucket(
  config: TestConfig,
  settings: BucketSettings,
  secret: string,
): Promise<TestStep[]> {
  const steps: TestStep[] = [];
  const pass: Pass = (name, message) => steps.push({ name, ok: true, message });
  try {
    await runSteps(config, settings, secret, pass);
  } catch (error) {
    const { step, message } = toFault(error, settings);
    // The earlier steps passed; otherwise this one would not have been reached.
    for (const name of BUCKET_TEST_STEPS.slice(steps.length, BUCKET_TEST_STEPS.indexOf(step)))
      pass(name, 'Passed.');
    steps.push({ name: step, ok: false, message });
  }
  return steps;
}

async function runSteps(
  config: TestConfig,
  settings: BucketSettings,
  secret: string,
  pass: Pass,
): Promise<void> {
  const { host } = new URL(settings.endpoint);
  const client = createBucketClient(config, settings, secret);
  const store = new BucketStore(NAME, settings, client);
  try {
    const skewMs = await list(client, settings);
    pass('resolved', `${host} was found.`);
    pass('reached', `A bucket store answers at ${settings.endpoint}.`);
    pass('clock', describeSkew(skewMs));
    pass('signed in', `The access key ${settings.accessKey} is accepted.`);
    pass('lists', `The keys of ${settings.bucket} can be listed.`);
    await exchange(config, settings, store, pass);
  } finally {
    store.close();
  }
}

/** Lists one key. @returns by how much the store's clock differs from ours, in milliseconds */
async function list(client: S3Client, settings: BucketSettings): Promise<number> {
  let skewMs = 0;
  client.middlewareStack.add(
    (next) => async (args) => {
      const result = await next(args);
      const { headers } = result.response as { headers: Record<string, string> };
      const at = Date.parse(headers.date ?? '');
      skewMs = Number.isNaN(at) ? 0 : at - Date.now();
      return result;
    },
    { step: 'deserialize', priority: 'low' },
  );
  await client.send(
    new ListObjectsV2Command({ Bucket: settings.bucket, Prefix: settings.prefix, MaxKeys: 1 }),
  );
  return skewMs;
}

function describeSkew(skewMs: number): string {
  const seconds = Math.round(Math.abs(skewMs) / 1000);
  if (Math.abs(skewMs) < NOTABLE_SKEW_MS) return 'The clocks agree.';
  return `The clocks differ by ${seconds} s. From ${MAX_SKEW_MS / 1000} s on, requests are refused: set the clock of this server.`;
}

/** Writes, reads and deletes a test object. */
async function exchange(
  config: TestConfig,
  settings: BucketSettings,
  store: BucketStore,
  pass: Pass,
): Promise<void> {
  const key = `uniferum-test-${randomUUID()}.txt`;
  const source = {
    bytes: CONTENT.length,
    sha256: hash('sha256', CONTENT),
    open: () => Readable.from([CONTENT], { objectMode: false }),
  };
  await inStep('writes', store.put(key, source, { mime: 'text/plain', cacheControl: 'no-store' }));
  pass('writes', `${settings.prefix}${key} was written.`);
  const failure = await readBack(config, settings, store, { key, pass }).catch((error: unknown) => error);
  // The test object is deleted whichever step failed.
  const deletion = await inStep('deletes', store.delete(key)).catch((error: unknown) => error);
  if (failure ?? deletion) throw failure ?? deletion;
  pass('deletes', 'It was deleted.');
}

async function readBack(
  config: TestConfig,
  settings: BucketSettings,
  store: BucketStore,
  { key, pass }: { key: string; pass: Pass },
): Promise<void> {
  const read = await inStep('reads', store.open(key).then(buffer));
  if (!read.equals(CONTENT))
    throw new StepFault(
      'reads',
      'The object was changed between writing and reading. Check for a proxy in front of the bucket.',
    );
  pass('reads', 'It was read back unchanged.');
  pass('access', await inStep('access', describeAccess(config, settings, key)));
}

/** Whether anybody may read an object. @throws StepFault when the public address doesn't lead to it */
async function describeAccess(config: TestConfig, settings: BucketSettings, key: string): Promise<string> {
  const { endpoint, bucket, prefix, publicUrl } = settings;
  const address = objectAddress(publicUrl ?? `${endpoint}/${bucket}`, prefix + key);
  const isPublic = await fetchAddress(config, address, { headers: { 'cache-control': 'no-cache' } })
    .then((answer) => readBody(answer, CONTENT.length))
    .then(
      (body) => body.equals(CONTENT),
      (error) => {
        if (publicUrl !== null && error instanceof FetchFailure)
          throw new StepFault(
            'access',
            `${address} does not lead to the object: ${error.message}. Check the public address, or let anybody read the bucket.`,
          );
        return false;
      },
    );
  if (isPublic)
    return publicUrl === null
      ? 'Anybody may read the objects.'
      : `Anybody may read the objects at ${publicUrl}.`;
  if (publicUrl !== null)
    throw new StepFault('access', `${address} leads to a different object. Check the public address.`);
  return 'Only the access key may read the objects.';
}

/** Attributes an error to a step. */
async function inStep<Result>(step: BucketTestStep, work: Promise<Result>): Promise<Result> {
  try {
    return await work;
  } catch (error) {
    throw error instanceof StepFault ? error : new StepFault(step, messageOf(error));
  }
}

const STEP_OF_CODE: Record<string, BucketTestStep> = {
  ENOTFOUND: 'resolved',
  EAI_AGAIN: 'resolved',
  PRIVATE_TARGET: 'resolved',
  RequestTimeTooSkewed: 'clock',
  InvalidAccessKeyId: 'signed in',
  SignatureDoesNotMatch: 'signed in',
  AuthorizationHeaderMalformed: 'signed in',
  InvalidToken: 'signed in',
  ExpiredToken: 'signed in',
  PermanentRedirect: 'signed in',
  NoSuchBucket: 'lists',
  AccessDenied: 'lists',
};

/** The step of an error of the first call, in words that say what to do. */
function toFault(error: unknown, settings: BucketSettings): StepFault {
  if (error instanceof StepFault) return error;
  const { host } = new URL(settings.endpoint);
  if (error instanceof FetchFailure) return new StepFault('resolved', `${error.message}.`);
  const code = codeOfBucketError(error);
  const status = (error as { $metadata?: { httpStatusCode?: number } }).$metadata?.httpStatusCode;
  if (code === 'ENOTFOUND' || code === 'EAI_AGAIN')
    return new StepFault('resolved', `There is no host ${host}. Check the endpoint.`);
  const step = STEP_OF_CODE[code] ?? (status === 403 ? 'lists' : 'reached');
  if (STEP_OF_CODE[code] !== undefined || status === 403)
    return new StepFault(step, messageOf(explainBucketError(error, NAME, null)));
  if (status === undefined)
    return new StepFault(
      'reached',
      `${host} can't be reached: ${(error as Error).message || code}. Check the endpoint, and that a firewall lets it through.`,
    );
  return new StepFault(
    'reached',
    `What answers at ${settings.endpoint} (status ${status}) is not a bucket store, or it is out of order. Check the endpoint.`,
  );
}

function messageOf(error: unknown): string {
  if (error instanceof UniferumError)
    return error.message
      .replace(/^The store "bucket" can't be used(?: right now)?[.:] /, '')
      .replace(/ Nothing was lost\.$/, '');
  return error instanceof Error ? error.message : String(error);
}

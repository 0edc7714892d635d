import type { S3Client } from '@aws-sdk/client-s3';
import type { BucketSettings } from '@uniferum/core/connections';
import { withBackOff } from './back-off.js';
import { adviseRetry, explainBucketError } from './bucket-faults.js';
import { RequestRate } from './request-rate.js';

/** The calls of one bucket, with everything that is the same for all of them. */
export interface BucketCalls {
  client: S3Client;
  settings: BucketSettings;
  /** Makes a call in its turn, repeats it while the store is busy, and explains its error. */
  call<Result>(
    key: string | null,
    signal: AbortSignal | undefined,
    work: () => Promise<Result>,
  ): Promise<Result>;
}

export function bucketCalls(name: string, settings: BucketSettings, client: S3Client): BucketCalls {
  const rate = new RequestRate(settings.maxPerSecond);
  return {
    ...{ client, settings },
    call: async (key, signal, work) => {
      const inTurn = async () => {
        await rate.turn(signal);
        return work();
      };
      try {
        return await withBackOff(inTurn, { advise: adviseRetry, signal });
      } catch (error) {
        signal?.throwIfAborted();
        throw explainBucketError(error, name, key);
      }
    },
  };
}

/** The option that ends a call of the client. */
export function abortable(signal: AbortSignal | undefined): { abortSignal?: AbortSignal } {
  return signal ? { abortSignal: signal } : {};
}

export function unquote(etag: string | undefined): string {
  return (etag ?? '').replace(/^"|"$/g, '');
}

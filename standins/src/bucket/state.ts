import type { IncomingMessage, ServerResponse } from 'node:http';
import type { Signer, Target } from './authenticate.js';
import { BucketError } from './bucket-error.js';
import type { Faults } from './faults.js';
import type { ObjectFiles } from './object-files.js';
import type { Uploads } from './uploads.js';

export interface Bucket {
  name: string;
  /** Anybody may read its objects. */
  isPublic: boolean;
  createdAt: string;
  objects: ObjectFiles;
}

/** A request with what was found out about it. */
export interface BucketRequest {
  req: IncomingMessage;
  res: ServerResponse;
  /** Null for an unsigned request. */
  signer: Signer | null;
  target: Target;
  bucket: string;
  key: string;
}

/** What requests work with. */
export interface BucketState {
  folder: string;
  /** Where bodies are written before they belong to an object. */
  incoming: string;
  buckets: Map<string, Bucket>;
  uploads: Uploads;
  faults: Faults;
  region: string;
}

/** @throws BucketError when there is none such */
export function requireBucket(state: BucketState, name: string): Bucket {
  const bucket = state.buckets.get(name);
  if (!bucket) throw new BucketError('NoSuchBucket', 'The specified bucket does not exist.');
  return bucket;
}

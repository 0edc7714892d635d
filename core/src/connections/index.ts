export {
  BUCKET_DEFAULTS,
  BUCKET_TEST_STEPS,
  type BucketSettings,
  type BucketTestStep,
  objectAddress,
} from './bucket.js';
export { CONNECTION_KINDS, type ConnectionAnswer, type ConnectionKind } from './connection.js';

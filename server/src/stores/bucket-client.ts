import { Agent as HttpAgent } from 'node:http';
import { Agent as HttpsAgent } from 'node:https';
import { S3Client } from '@aws-sdk/client-s3';
import { NodeHttpHandler } from '@smithy/node-http-handler';
import type { BucketSettings } from '@uniferum/core/connections';
import type { Config } from '../shared/config.js';
import { lookupFor } from '../shared/outgoing.js';

// Otherwise the package prints a notice about future Node versions at every start.
process.env.AWS_SDK_JS_NODE_VERSION_SUPPORT_WARNING_DISABLED ??= 'true';

const CONNECT_MS = 5000;
/** The maximum time without any data sent or received. */
const IDLE_MS = 60_000;

/**
 * Creates the client of a bucket. Calls are attempted once: the caller decides what to retry, because bodies are streams.
 * Every call fails where the endpoint is in a private network that is not allowed, or the secret can't be read: a store
 * that worked yesterday is still listed, and its records still change.
 */
export function createBucketClient(
  config: Pick<Config, 'allowedHosts'>,
  settings: BucketSettings,
  secret: string | (() => string),
): S3Client {
  return new S3Client({
    endpoint: settings.endpoint,
    region: settings.region,
    forcePathStyle: settings.addressing === 'path',
    credentials: async () => ({
      accessKeyId: settings.accessKey,
      secretAccessKey: typeof secret === 'string' ? secret : secret(),
    }),
    maxAttempts: 1,
    // The digest of every body is known and signed; a second checksum would be computed for nothing.
    requestChecksumCalculation: 'WHEN_REQUIRED',
    responseChecksumValidation: 'WHEN_REQUIRED',
    requestHandler: createHandler(config, settings),
  });
}

function createHandler(
  config: Pick<Config, 'allowedHosts'>,
  { endpoint, maxParallel }: BucketSettings,
): Pick<NodeHttpHandler, 'handle' | 'destroy'> {
  const url = new URL(endpoint);
  const port = Number(url.port || (url.protocol === 'https:' ? 443 : 80));
  try {
    const lookup = lookupFor(config, { host: url.hostname.replace(/^\[|\]$/g, ''), port });
    const agentOptions = { keepAlive: true, maxSockets: maxParallel, ...(lookup && { lookup }) };
    return new NodeHttpHandler({
      connectionTimeout: CONNECT_MS,
      socketTimeout: IDLE_MS,
      // Waiting for a free connection is expected.
      socketAcquisitionWarningTimeout: 3_600_000,
      httpAgent: new HttpAgent(agentOptions),
      httpsAgent: new HttpsAgent(agentOptions),
    });
  } catch (failure) {
    return { handle: () => Promise.reject(failure), destroy: () => {} };
  }
}

import { randomUUID } from 'node:crypto';
import { mkdirSync, readdirSync, rmSync } from 'node:fs';
import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import { join } from 'node:path';
import { json } from 'node:stream/consumers';
import { type Account, authenticate, type Target } from './authenticate.js';
import { BucketError } from './bucket-error.js';
import { answerBucket } from './bucket-requests.js';
import { type Fault, Faults } from './faults.js';
import { ObjectFiles } from './object-files.js';
import { answerObject } from './object-requests.js';
import type { BucketRequest, BucketState } from './state.js';
import { Uploads } from './uploads.js';
import { errorXml } from './xml.js';

export interface BucketOptions {
  /** Where objects are kept. */
  folder: string;
  accounts: readonly Account[];
  /** Names of buckets that exist from the start. */
  buckets?: readonly string[];
  /** Buckets whose objects anybody may read. */
  publicBuckets?: readonly string[];
  /** @defaultValue "farrow-1" */
  region?: string;
  /** The host that precedes no bucket name; names before it address buckets. @defaultValue "localhost" */
  host?: string;
  now?: () => Date;
}

/** What is changed while it runs. */
type Control = 'faults' | 'accounts' | 'clock' | 'origins';

export interface BucketServer {
  server: Server;
  state: BucketState;
  /** Replaces the faults in force. */
  setFaults(faults: readonly Fault[]): void;
  /** Replaces who may sign requests. */
  setAccounts(accounts: readonly Account[]): void;
}

/** A small object store with the common bucket interface; signatures are verified. */
export function createBucketServer({
  folder,
  accounts: firstAccounts,
  buckets = [],
  publicBuckets = [],
  region = 'farrow-1',
  host = 'localhost',
  now: clock = () => new Date(),
}: BucketOptions): BucketServer {
  const incoming = join(folder, 'incoming');
  rmSync(incoming, { recursive: true, force: true });
  mkdirSync(incoming, { recursive: true });
  const state: BucketState = {
    ...{ folder, incoming, region },
    buckets: new Map(),
    uploads: new Uploads(),
    faults: new Faults(),
  };
  let accounts = firstAccounts;
  // Whose pages may read what is public. Source: Fetch, 3.3.3.
  let origin: string | null = '*';
  // By how much the clock is wrong on demand.
  let skewMs = 0;
  const now = () => new Date(clock().getTime() + skewMs);
  const present = readdirSync(folder).filter((name) => name !== 'incoming');
  for (const name of new Set([...present, ...buckets, ...publicBuckets]))
    state.buckets.set(name, {
      ...{ name, isPublic: publicBuckets.includes(name), createdAt: now().toISOString() },
      objects: new ObjectFiles(join(folder, name)),
    });

  const server = createServer((req, res) => {
    res.setHeader('x-amz-request-id', randomUUID());
    res.setHeader('Date', now().toUTCString());
    const target = readTarget(req);
    const { bucket, key } = readPlace(req, target, host);
    const [, control] = /^\/-\/(faults|accounts|clock|origins)$/.exec(target.path) ?? [];
    const work = control
      ? answerControl(req, res, control as Control)
      : answer(req, res, target, bucket, key);
    work.catch((error) => refuse(req, res, target, error));
  });

  /** Controls need no signature: the server listens on loopback only. */
  async function answerControl(req: IncomingMessage, res: ServerResponse, what: Control) {
    const value = await json(req);
    if (what === 'faults') state.faults.set(value as Fault[]);
    else if (what === 'accounts') accounts = value as Account[];
    else if (what === 'origins') origin = value as string | null;
    else skewMs = value as number;
    res.writeHead(204).end();
  }

  async function answer(
    req: IncomingMessage,
    res: ServerResponse,
    target: Target,
    bucket: string,
    key: string,
  ) {
    const signer = authenticate(req, target, accounts, { region, now: now() });
    const request = { req, res, signer, target, bucket, key };
    requireRight(state, request);
    if (origin !== null) res.setHeader('Access-Control-Allow-Origin', origin);
    const damage = await state.faults.apply(req.method ?? 'GET', key);
    if (damage === 'lost')
      res.end = () => {
        req.socket.destroy();
        return res;
      };
    if (key === '') await answerBucket(state, request);
    else await answerObject(state, request, damage === 'lost' ? null : damage);
  }

  return {
    server,
    state,
    setFaults: (faults) => state.faults.set(faults),
    setAccounts: (next) => {
      accounts = next;
    },
  };
}

function requireRight(state: BucketState, { req, signer, bucket, key }: BucketRequest): void {
  const isReading = req.method === 'GET' || req.method === 'HEAD';
  if (signer) {
    if (signer.account.isReadOnly && !isReading) throw new BucketError('AccessDenied', 'Access Denied');
    return;
  }
  const found = state.buckets.get(bucket);
  const isPublic = found?.isPublic || found?.objects.get(key)?.isPublic;
  if (!(isReading && key !== '' && isPublic)) throw new BucketError('AccessDenied', 'Access Denied');
}

function readTarget(req: IncomingMessage): Target {
  const [path = '/', query = ''] = (req.url ?? '/').split(/\?(.*)/s);
  return { path, query: new URLSearchParams(query) };
}

/** The bucket is the first segment of the path, or the first part of the host name. */
function readPlace(req: IncomingMessage, { path }: Target, host: string): { bucket: string; key: string } {
  const name = (req.headers.host ?? '').replace(/:\d+$/, '');
  const isInHost = name.endsWith(`.${host}`);
  const [first = '', ...rest] = path.slice(1).split('/');
  const raw = isInHost ? path.slice(1) : rest.join('/');
  try {
    return {
      bucket: isInHost ? name.slice(0, -host.length - 1) : decodeURIComponent(first),
      key: decodeURIComponent(raw),
    };
  } catch {
    return { bucket: '', key: '' };
  }
}

function refuse(req: IncomingMessage, res: ServerResponse, target: Target, thrown: unknown): void {
  const error =
    thrown instanceof BucketError ? thrown : new BucketError('InternalError', `An internal error: ${thrown}`);
  if (res.headersSent || res.destroyed) {
    res.destroy();
    return;
  }
  for (const name of ['Content-Length', 'ETag', 'Content-Range', 'Accept-Ranges']) res.removeHeader(name);
  const body = errorXml(error, target.path, String(res.getHeader('x-amz-request-id')));
  // What is left of a refused body is not read: the connection can't be used again.
  if (!req.complete) res.setHeader('Connection', 'close');
  res.writeHead(error.status, { ...error.headers, 'Content-Type': 'application/xml' });
  res.end(req.method === 'HEAD' ? undefined : body);
  req.resume();
}

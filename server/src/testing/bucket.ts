import { type ChildProcess, fork } from 'node:child_process';
import { once } from 'node:events';
import { mkdtemp, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { BUCKET_DEFAULTS, type BucketSettings } from '@uniferum/core/connections';
import { createBucketClient } from '../stores/bucket-client.js';
import { BucketStore } from '../stores/bucket-store.js';

const MAIN = new URL('../../../standins/dist/bucket/main.js', import.meta.url);

export const BUCKET_SECRET = 'lamp-and-lens';
export const BUCKET_ACCOUNT = { accessKey: 'keeper', secret: BUCKET_SECRET };

/** What goes wrong; see the stand-in. */
export interface BucketFault {
  kind: 'slow' | 'busy' | 'cut' | 'lost' | 'corrupt' | 'deny' | 'fail';
  method?: string;
  key?: string;
  times?: number;
  waitMs?: number;
  retryAfterS?: number;
}

/** A bucket store in a process of its own, with the buckets `lights` and, readable by anybody, `open`. */
export interface TestBucket {
  endpoint: string;
  host: string;
  settings: BucketSettings;
  /** A store in the bucket, as the server would use it. */
  store(settings?: Partial<BucketSettings>, secret?: string): BucketStore;
  setFaults(faults: readonly BucketFault[]): Promise<void>;
  setAccounts(
    accounts: readonly { accessKey: string; secret: string; isReadOnly?: boolean }[],
  ): Promise<void>;
  /** Makes its clock wrong by so many milliseconds. */
  setClock(skewMs: number): Promise<void>;
  /** Whose pages may read what is public; null for none. */
  setOrigin(origin: string | null): Promise<void>;
  /** Kills the process; everything stored stays for `start`, which does nothing while it runs. */
  stop(): Promise<void>;
  start(): Promise<void>;
  close(): Promise<void>;
}

export async function startBucket(): Promise<TestBucket> {
  const folder = await mkdtemp(join(tmpdir(), 'uniferum-bucket-'));
  let child: ChildProcess | null = null;
  let port = 0;
  const start = async () => {
    if (child !== null && child.exitCode === null && child.signalCode === null) return;
    child = fork(MAIN, {
      env: {
        ...process.env,
        PORT: String(port),
        BUCKET_FOLDER: folder,
        BUCKET_ACCESS_KEY: BUCKET_ACCOUNT.accessKey,
        BUCKET_SECRET,
        BUCKET_NAMES: 'lights',
        BUCKET_PUBLIC_NAMES: 'open',
      },
    });
    const [{ port: listening }] = (await once(child, 'message')) as [{ port: number }];
    port = listening;
  };
  const stop = async () => {
    if (child === null || child.exitCode !== null || child.signalCode !== null) return;
    const ended = once(child, 'exit');
    child.kill('SIGKILL');
    await ended;
  };
  await start();
  const host = `127.0.0.1:${port}`;
  const endpoint = `http://${host}`;
  const settings: BucketSettings = {
    ...BUCKET_DEFAULTS,
    ...{ endpoint, region: 'farrow-1', bucket: 'lights', accessKey: BUCKET_ACCOUNT.accessKey },
  };
  const control = async (what: string, value: unknown) => {
    await fetch(`${endpoint}/-/${what}`, { method: 'PUT', body: JSON.stringify(value) });
  };
  return {
    ...{ endpoint, host, settings },
    store: (more = {}, secret = BUCKET_SECRET) => {
      const all = { ...settings, ...more };
      return new BucketStore(
        'bucket',
        all,
        createBucketClient({ allowedHosts: new Set([host]) }, all, secret),
      );
    },
    setFaults: (faults) => control('faults', faults),
    setAccounts: (accounts) => control('accounts', accounts),
    setOrigin: (origin) => control('origins', origin),
    setClock: (skewMs) => control('clock', skewMs),
    ...{ stop, start },
    close: async () => {
      await stop();
      await rm(folder, { recursive: true, force: true });
    },
  };
}

import { randomBytes } from 'node:crypto';
import { mkdir, mkdtemp, rm } from 'node:fs/promises';
import { createServer, type Server } from 'node:http';
import type { AddressInfo, Socket } from 'node:net';
import { tmpdir } from 'node:os';
import { basename, join } from 'node:path';
import { ALL_RIGHTS, type Right } from '@uniferum/core/access';
import { createConnection, type RowDataPacket } from 'mysql2/promise';
import { pino } from 'pino';
import sharp from 'sharp';
import { inject } from 'vitest';
import { makeKey, makeUser } from '../access/service.js';
import { createApp } from '../app.js';
import type { House } from '../house/compose-rooms.js';
import { closeProcesses, createHouse, type Processes, prepareProcesses } from '../rooms.js';
import { type Config, readConfig } from '../shared/config.js';
import { migrate } from '../shared/migrate.js';
import { openDatabase, type PooledDatabase } from '../shared/pooled-database.js';
import type { Services } from '../shared/services.js';
import { asksForHealth, inTurn } from '../shared/turnstile.js';
import type { DiskStore } from '../stores/disk-store.js';
import { openHomeStore } from '../stores/home-store.js';
import { createEngine } from '../worker.js';
import { BUCKET_ACCOUNT, BUCKET_SECRET } from './bucket.js';

declare module 'vitest' {
  export interface ProvidedContext {
    /** The MariaDB shared by all test files; see tools/test-database.mjs. */
    database: { host: string; port: number; user: string; password: string };
    /** What makes an empty database one that was migrated. */
    schema: string;
    /** The address of a bucket store that is every installation's home; null keeps files on the disk. */
    homeBucket: string | null;
  }
}

export const EMAIL = 'keeper@skerry.example';
export const PASSWORD = 'a lamp in the fog';

/** A complete installation with its own database, listening on a loopback port. */
export interface TestServer {
  services: Services;
  house: House;
  processes: Processes;
  store: DiskStore;
  config: Config;
  db: PooledDatabase;
  url: string;
  /** The environment with which another process joins this installation. */
  env: Record<string, string>;
  /** A key with all rights, or with the given ones. */
  key(rights?: readonly Right[]): Promise<string>;
  /** Sends a request and reads the whole answer. */
  call(method: string, path: string, options?: CallOptions): Promise<Answer>;
  /** The number of open connections to it. */
  sockets(): ReadonlySet<Socket>;
  /** The inbox of this installation. */
  inbox: string;
  /** Processes items until no run is active. */
  workUntilIdle(): Promise<void>;
  close(): Promise<void>;
}

/** The variables of a home bucket, when tests are to run with one: each installation has a part of it. */
function homeOf(dataDir: string): Record<string, string> {
  const bucket = inject('homeBucket');
  if (!bucket) return {};
  return {
    UNIFERUM_HOME_ENDPOINT: bucket,
    UNIFERUM_HOME_REGION: 'farrow-1',
    UNIFERUM_HOME_BUCKET: 'lights',
    UNIFERUM_HOME_PREFIX: `${basename(dataDir)}/`,
    UNIFERUM_HOME_ACCESS_KEY: BUCKET_ACCOUNT.accessKey,
    UNIFERUM_HOME_SECRET: BUCKET_SECRET,
  };
}

export interface CallOptions {
  key?: string | null;
  json?: unknown;
  body?: BodyInit;
  headers?: Record<string, string>;
}

export interface Answer {
  status: number;
  headers: Headers;
  // biome-ignore lint/suspicious/noExplicitAny: tests look into answers freely; their shape is held against the OpenAPI document
  body: any;
  bytes: Buffer;
}

/** Every answer of every test, for the check against the OpenAPI document. */
export type AnswerWatch = (method: string, path: string, answer: Answer) => void;

// biome-ignore lint/complexity/noExcessiveLinesPerFunction: what is started here is ended here
export async function startTestServer(
  options: { watch?: AnswerWatch; env?: Record<string, string>; compose?: typeof createHouse } = {},
): Promise<TestServer> {
  const database = inject('database');
  const dataDir = await mkdtemp(join(tmpdir(), 'uniferum-test-'));
  const env = {
    UNIFERUM_DB_HOST: database.host,
    UNIFERUM_DB_PORT: String(database.port),
    UNIFERUM_DB_USER: database.user,
    UNIFERUM_DB_PASSWORD: database.password,
    UNIFERUM_DB_NAME: `test_${randomBytes(6).toString('hex')}`,
    UNIFERUM_DATA_DIR: dataDir,
    UNIFERUM_INBOX_DIR: join(dataDir, 'inbox'),
    UNIFERUM_SOURCE_DIRS: join(dataDir, 'pages'),
    UNIFERUM_INBOX_SETTLE_MS: '0',
    UNIFERUM_LOG_LEVEL: 'silent',
    UNIFERUM_LEASE_MS: '3000',
    // Nothing that is tested here depends on the speed of the machine.
    UNIFERUM_INSPECT_TIMEOUT_MS: '60000',
    ...homeOf(dataDir),
    ...options.env,
  };
  // As in the real server: a test that keeps the CPU busy for seconds must not find its connection closed.
  const server = createServer({ keepAliveTimeout: 65_000 });
  const sockets = new Set<Socket>();
  server.on('connection', (socket) => {
    sockets.add(socket);
    socket.on('close', () => sockets.delete(socket));
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  const url = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
  const config = readConfig({ ...env, UNIFERUM_PUBLIC_URL: url });
  await prepareDatabase(config.database);
  const db = openDatabase(config.database, {
    connections: config.database.connections,
    acquireTimeoutMs: config.database.waitMs,
  });
  const store = (await openHomeStore(config)) as TestServer['store'];
  const inbox = join(dataDir, 'inbox');
  await mkdir(inbox);
  const log = pino({ level: 'silent' });
  const leases = openDatabase(config.database, { connections: 1 });
  const services: Services = { config, db, leases, store, log };
  const processes = prepareProcesses(services, 'server');
  const house = (options.compose ?? createHouse)(services, processes);
  const app = createApp({ services, db, house });
  server.on('request', inTurn(app.express, asksForHealth));
  const fullKey = (await makeKey(db, { name: 'Test', rights: ALL_RIGHTS })).secret;

  return {
    services,
    house,
    processes,
    store,
    config,
    db,
    url,
    env,
    inbox,
    sockets: () => sockets,
    key: async (rights = ALL_RIGHTS) => (await makeKey(db, { name: 'Test', rights })).secret,
    call: async (method, path, call = {}) => {
      const answer = await send(url, method, path, { key: fullKey, ...call });
      options.watch?.(method, path, answer);
      return answer;
    },
    workUntilIdle: () => workUntilIdle(services, house),
    close: async () => {
      await closeServer(server);
      await app.close();
      await house.close();
      await closeProcesses(processes);
      await leases.end();
      await db.query(`DROP DATABASE IF EXISTS \`${config.database.name}\``);
      await db.end();
      await rm(dataDir, { recursive: true, force: true });
    },
  };
}

/** Gives an installation its database. One that is there, such as a restored one, is migrated as by a server. */
async function prepareDatabase(database: Config['database']): Promise<void> {
  const { name, host, port, user, password } = database;
  const connection = await createConnection({ host, port, user, password, multipleStatements: true });
  const [found] = await connection.query<RowDataPacket[]>('SHOW DATABASES LIKE ?', [name]);
  if (found.length > 0) await migrate(database);
  else
    await connection.query(
      `CREATE DATABASE \`${name}\` CHARACTER SET utf8mb4 COLLATE utf8mb4_general_ci; USE \`${name}\`; ${inject('schema')}`,
    );
  await connection.end();
}

/** Creates the user who signs in. */
export async function makeTestUser(db: PooledDatabase, rights: readonly Right[] = ALL_RIGHTS): Promise<void> {
  await makeUser(db, { email: EMAIL, name: 'Edda', password: PASSWORD, rights });
}

async function send(
  url: string,
  method: string,
  path: string,
  { key, json, body, headers = {} }: CallOptions,
): Promise<Answer> {
  const response = await fetch(url + path, {
    method,
    redirect: 'manual',
    headers: {
      ...(key && { Authorization: `Bearer ${key}` }),
      ...(json !== undefined && { 'Content-Type': 'application/json' }),
      ...headers,
    },
    ...(json !== undefined ? { body: JSON.stringify(json) } : body !== undefined ? { body } : {}),
  });
  const bytes = Buffer.from(await response.arrayBuffer());
  const isJson = /json/.test(response.headers.get('content-type') ?? '');
  return {
    status: response.status,
    headers: response.headers,
    bytes,
    body: isJson && bytes.length > 0 ? JSON.parse(bytes.toString()) : undefined,
  };
}

async function workUntilIdle(services: Services, house: House): Promise<void> {
  const engine = createEngine(services, house);
  await engine.start();
  try {
    await eventually(async () => {
      const [rows] = await services.db.query(
        "SELECT COUNT(*) AS n FROM runs WHERE state IN ('waiting', 'working', 'stopping')",
      );
      return (rows as { n: number }[])[0]?.n === 0;
    }, MOST_WORK_MS);
  } finally {
    await engine.close();
  }
}

/** The longest time that the work of a test takes on a busy machine. */
const MOST_WORK_MS = 120_000;
/** Changed code is given less time than a busy machine; see tools/mutation.mjs. */
const PATIENCE_MS = Number(process.env.UNIFERUM_TEST_PATIENCE_MS ?? MOST_WORK_MS);

/** Waits until a condition holds by polling; fails after a time limit. */
export async function eventually(condition: () => Promise<boolean>, timeoutMs = PATIENCE_MS): Promise<void> {
  const until = Date.now() + timeoutMs;
  while (!(await condition())) {
    if (Date.now() > until) throw new Error('The condition did not come true in time');
    await new Promise((resolve) => setTimeout(resolve, 20));
  }
}

/** A form with a folder and files, in this order. */
export function form(
  folder: string,
  files: readonly { name: string; data: Uint8Array }[],
  fields: Record<string, string> = {},
): FormData {
  const body = new FormData();
  for (const [name, value] of Object.entries({ folder, ...fields })) body.append(name, value);
  for (const { name, data } of files) body.append('file', new Blob([data as BlobPart]), name);
  return body;
}

/** A JPEG of noise, a different one for each seed. */
export async function photo(width: number, height: number, seed = 1): Promise<Buffer> {
  const pixels = Buffer.alloc(width * height * 3);
  let state = seed * 2654435761 + 1;
  for (let i = 0; i < pixels.length; i += 1) {
    state = (Math.imul(state, 1664525) + 1013904223) >>> 0;
    pixels[i] = ((i / 3 / width) % 255) * 0.6 + (state >>> 24) * 0.3;
  }
  return sharp(pixels, { raw: { width, height, channels: 3 } })
    .jpeg({ quality: 80 })
    .toBuffer();
}

/** A PNG that is whole, has a valid header, and can't be decoded. */
export async function brokenPng(width: number, height: number, seed = 1): Promise<Buffer> {
  const png = await sharp(await photo(width, height, seed))
    .png()
    .toBuffer();
  png[png.length - 40] = (png[png.length - 40] ?? 0) ^ 0xff;
  return png;
}

function closeServer(server: Server): Promise<unknown> {
  server.closeAllConnections();
  return new Promise((resolve) => server.close(resolve));
}

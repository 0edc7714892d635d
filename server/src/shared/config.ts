import { randomBytes } from 'node:crypto';
import { existsSync, linkSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { delimiter, join } from 'node:path';
import Joi from 'joi';
import { type HomeBucket, homeVariables, readHome } from './home-config.js';

/** The settings of an installation, from environment variables. */
export interface Config {
  host: string;
  port: number;
  /** The URL under which browsers and scripts reach this installation, without a trailing slash. */
  publicUrl: string;
  /**
   * The URL under which media are served, without a trailing slash; the same as `publicUrl` unless media have their
   * own origin.
   */
  mediaUrl: string;
  /** Proxies in front of the server, whose `X-Forwarded-For` is believed. */
  trustedProxies: string[];
  database: {
    host: string;
    port: number;
    user: string;
    password: string;
    name: string;
    /** The maximum number of connections per process. */
    connections: number;
    /** How long a request waits for a connection. */
    waitMs: number;
  };
  /** The folder of the disk store; with a home bucket, of incoming files and the cache. */
  dataDir: string;
  /** The bucket in which files are kept; null keeps them on the disk. */
  home: HomeBucket | null;
  /** The folder of the built console; null serves only the API. */
  webDir: string | null;
  worker: { slots: number; leaseMs: number };
  /** The processes that decode and render pictures. */
  render: {
    /** The number of processes on the server, for renditions that somebody waits for. */
    serverProcesses: number;
    maxMemoryBytes: number;
    /** What one picture may take while somebody waits for it. */
    timeoutMs: number;
    /** What it may take in a worker. */
    backgroundTimeoutMs: number;
    /** The maximum number of pictures rendered or queued for one anonymous address. */
    strangerAtOnce: number;
  };
  /** The processes that read headers, metadata and pages from untrusted sources. */
  inspect: { processes: number; maxMemoryBytes: number; timeoutMs: number };
  /** A request with an Idempotency-Key may be retried after its server has been silent for this long. */
  requestLeaseMs: number;
  /** How often workers clean up and verify counters. */
  sweepMs: number;
  /** The maximum size of the cache of on-request pictures, in bytes. */
  maxOnRequestBytes: number;
  /** The maximum number of pixels to decode. */
  maxPixels: number;
  /** The maximum file size in any folder, whatever its rules say. */
  maxUploadBytes: number;
  /** The folder that receives files by file transfer or mount; null when there is none. */
  inboxDir: string | null;
  /** Folders below which page sources may lie. */
  sourceDirs: readonly string[];
  /** How often servers look for changes in watched page sources. */
  watchMs: number;
  /** How often the home store is audited, in days; null for never. */
  homeAuditDays: number | null;
  /** A file in the inbox modified within this time counts as still being written. */
  inboxSettleMs: number;
  /** Hosts (`name` or `name:port`) that may be fetched from although they are in a private network. */
  allowedHosts: ReadonlySet<string>;
  /** The limits of an archive. */
  archive: { maxEntries: number; maxBytes: number; maxRatio: number };
  /** The key from which signing secrets are derived. */
  masterKey: string;
  /** How long assets stay in the bin before they may be purged automatically, in days; null keeps them indefinitely. */
  binDays: number | null;
  logLevel: string;
}

/** Proxies whose word counts for who is behind them: addresses, networks in CIDR notation, and names of such. */
const PROXY = /^(?:loopback|linklocal|uniquelocal|[\d.]+(?:\/\d{1,2})?|[\da-f:]+(?:\/\d{1,3})?)$/i;
const proxiesSchema = Joi.string().custom((value: string, helpers) => {
  const proxies = value.split(',').map((one) => one.trim());
  return proxies.every((one) => PROXY.test(one))
    ? value
    : helpers.message({
        custom: '{{#label}} must list addresses or networks, such as 10.0.0.0/8, separated by commas',
      });
});

/** The URLs of the installation and of its media. */
export type Addresses = Pick<Config, 'publicUrl' | 'mediaUrl'>;

const schema = Joi.object({
  UNIFERUM_HOST: Joi.string().default('127.0.0.1'),
  UNIFERUM_PORT: Joi.number().port().allow(0).default(4280),
  UNIFERUM_PUBLIC_URL: Joi.string().uri({ scheme: ['http', 'https'] }),
  UNIFERUM_TRUSTED_PROXIES: proxiesSchema.default('loopback'),
  UNIFERUM_MEDIA_URL: Joi.string().uri({ scheme: ['http', 'https'] }),
  UNIFERUM_DB_CONNECTIONS: Joi.number().integer().min(2).max(200).default(10),
  UNIFERUM_DB_WAIT_MS: Joi.number().integer().min(100).max(120_000).default(10_000),
  UNIFERUM_SWEEP_MS: Joi.number().integer().min(1000).default(3_600_000),
  UNIFERUM_REQUEST_LEASE_MS: Joi.number().integer().min(500).max(600_000).default(10_000),
  UNIFERUM_DB_HOST: Joi.string().default('127.0.0.1'),
  UNIFERUM_DB_PORT: Joi.number().port().default(3306),
  UNIFERUM_DB_USER: Joi.string().default('uniferum'),
  UNIFERUM_DB_PASSWORD: Joi.string().allow('').default(''),
  UNIFERUM_DB_NAME: Joi.string().pattern(/^\w+$/).default('uniferum'),
  UNIFERUM_DATA_DIR: Joi.string().default('var/data'),
  UNIFERUM_WEB_DIR: Joi.string(),
  UNIFERUM_WORKER_SLOTS: Joi.number().integer().min(1).max(64).default(2),
  UNIFERUM_LEASE_MS: Joi.number().integer().min(500).max(3_600_000).default(30_000),
  UNIFERUM_RENDER_PROCESSES: Joi.number().integer().min(1).max(32).default(2),
  UNIFERUM_RENDER_MEMORY_MB: Joi.number().integer().min(64).default(2000),
  UNIFERUM_RENDER_TIMEOUT_MS: Joi.number().integer().min(1000).max(3_600_000).default(30_000),
  UNIFERUM_BACKGROUND_RENDER_TIMEOUT_MS: Joi.number().integer().min(1000).max(3_600_000).default(120_000),
  UNIFERUM_STRANGER_RENDERS: Joi.number().integer().min(1).max(1000).default(12),
  UNIFERUM_INSPECT_PROCESSES: Joi.number().integer().min(1).max(32).default(1),
  UNIFERUM_INSPECT_MEMORY_MB: Joi.number().integer().min(150).default(600),
  UNIFERUM_INSPECT_TIMEOUT_MS: Joi.number().integer().min(100).max(600_000).default(10_000),
  UNIFERUM_ON_REQUEST_BYTES: Joi.number().integer().min(0).default(5_000_000_000),
  UNIFERUM_MAX_PIXELS: Joi.number().integer().min(1).default(150_000_000),
  UNIFERUM_MAX_UPLOAD_BYTES: Joi.number().integer().min(1).default(20_000_000_000),
  UNIFERUM_INBOX_DIR: Joi.string(),
  UNIFERUM_SOURCE_DIRS: Joi.string().allow('').default(''),
  UNIFERUM_HOME_AUDIT_DAYS: Joi.number().integer().min(0).max(365).default(30),
  UNIFERUM_WATCH_MS: Joi.number().integer().min(1000).max(86_400_000).default(30_000),
  UNIFERUM_INBOX_SETTLE_MS: Joi.number().integer().min(0).max(3_600_000).default(5000),
  UNIFERUM_ALLOWED_HOSTS: Joi.string().allow('').default(''),
  UNIFERUM_ARCHIVE_MAX_ENTRIES: Joi.number().integer().min(1).default(50_000),
  UNIFERUM_ARCHIVE_MAX_BYTES: Joi.number().integer().min(1).default(50_000_000_000),
  UNIFERUM_ARCHIVE_MAX_RATIO: Joi.number().min(1).default(200),
  UNIFERUM_MASTER_KEY: Joi.string().min(16),
  UNIFERUM_BIN_DAYS: Joi.number().integer().min(1),
  ...homeVariables,
  UNIFERUM_LOG_LEVEL: Joi.string().valid('trace', 'debug', 'info', 'warn', 'error', 'silent').default('info'),
}).unknown();

/**
 * Reads the configuration from environment variables; see docs/CONFIGURATION.md for each.
 *
 * @throws Error that names every invalid variable
 */
export function readConfig(env: Record<string, string | undefined>): Config {
  const { value, error } = schema.validate(env, { abortEarly: false, stripUnknown: true });
  if (error)
    throw new Error(
      `The configuration is invalid: ${error.details.map(({ message }) => message).join('; ')}.`,
    );
  const publicUrl = (
    value.UNIFERUM_PUBLIC_URL ?? `http://${value.UNIFERUM_HOST}:${value.UNIFERUM_PORT}`
  ).replace(/\/+$/, '');
  return {
    host: value.UNIFERUM_HOST,
    port: value.UNIFERUM_PORT,
    publicUrl,
    trustedProxies: value.UNIFERUM_TRUSTED_PROXIES.split(',').map((one: string) => one.trim()),
    mediaUrl: (value.UNIFERUM_MEDIA_URL ?? publicUrl).replace(/\/+$/, ''),
    database: {
      connections: value.UNIFERUM_DB_CONNECTIONS,
      waitMs: value.UNIFERUM_DB_WAIT_MS,
      host: value.UNIFERUM_DB_HOST,
      port: value.UNIFERUM_DB_PORT,
      user: value.UNIFERUM_DB_USER,
      password: value.UNIFERUM_DB_PASSWORD,
      name: value.UNIFERUM_DB_NAME,
    },
    dataDir: value.UNIFERUM_DATA_DIR,
    webDir: value.UNIFERUM_WEB_DIR ?? null,
    worker: { slots: value.UNIFERUM_WORKER_SLOTS, leaseMs: value.UNIFERUM_LEASE_MS },
    render: {
      serverProcesses: value.UNIFERUM_RENDER_PROCESSES,
      maxMemoryBytes: value.UNIFERUM_RENDER_MEMORY_MB * 1_000_000,
      timeoutMs: value.UNIFERUM_RENDER_TIMEOUT_MS,
      backgroundTimeoutMs: value.UNIFERUM_BACKGROUND_RENDER_TIMEOUT_MS,
      strangerAtOnce: value.UNIFERUM_STRANGER_RENDERS,
    },
    inspect: {
      processes: value.UNIFERUM_INSPECT_PROCESSES,
      maxMemoryBytes: value.UNIFERUM_INSPECT_MEMORY_MB * 1_000_000,
      timeoutMs: value.UNIFERUM_INSPECT_TIMEOUT_MS,
    },
    requestLeaseMs: value.UNIFERUM_REQUEST_LEASE_MS,
    sweepMs: value.UNIFERUM_SWEEP_MS,
    maxOnRequestBytes: value.UNIFERUM_ON_REQUEST_BYTES,
    maxPixels: value.UNIFERUM_MAX_PIXELS,
    maxUploadBytes: value.UNIFERUM_MAX_UPLOAD_BYTES,
    sourceDirs: value.UNIFERUM_SOURCE_DIRS.split(delimiter).filter((path: string) => path !== ''),
    inboxDir: value.UNIFERUM_INBOX_DIR ?? null,
    watchMs: value.UNIFERUM_WATCH_MS,
    homeAuditDays: value.UNIFERUM_HOME_AUDIT_DAYS || null,
    inboxSettleMs: value.UNIFERUM_INBOX_SETTLE_MS,
    allowedHosts: new Set(
      (value.UNIFERUM_ALLOWED_HOSTS as string)
        .split(',')
        .map((host) => host.trim().toLowerCase())
        .filter((host) => host !== ''),
    ),
    archive: {
      maxEntries: value.UNIFERUM_ARCHIVE_MAX_ENTRIES,
      maxBytes: value.UNIFERUM_ARCHIVE_MAX_BYTES,
      maxRatio: value.UNIFERUM_ARCHIVE_MAX_RATIO,
    },
    masterKey: value.UNIFERUM_MASTER_KEY ?? keptMasterKey(value.UNIFERUM_DATA_DIR),
    home: readHome(value),
    binDays: value.UNIFERUM_BIN_DAYS ?? null,
    logLevel: value.UNIFERUM_LOG_LEVEL,
  };
}

/**
 * The key stored beside the data, created at the first start. Several hosts need the same one: set
 * UNIFERUM_MASTER_KEY there.
 */
function keptMasterKey(dataDir: string): string {
  const path = join(dataDir, 'master.key');
  mkdirSync(dataDir, { recursive: true });
  if (!existsSync(path)) {
    // Written beside it, because a server and a worker may start at the same time: neither reads half a key.
    const beside = `${path}.${process.pid}`;
    writeFileSync(beside, `${randomBytes(32).toString('hex')}\n`, { mode: 0o600 });
    try {
      linkSync(beside, path);
    } catch (error) {
      if (!(error instanceof Error && 'code' in error && error.code === 'EEXIST')) throw error;
    } finally {
      rmSync(beside, { force: true });
    }
  }
  return readFileSync(path, 'utf8').trim();
}

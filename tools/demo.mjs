// @ts-check
// `npm run demo`: sets up everything a new user needs with one command. Running it again starts the existing installation.
import { spawn } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import { existsSync, mkdirSync, openSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { delimiter, join } from 'node:path';
import { parseArgs } from 'node:util';
import { findFreePort, isPortFree, startMariaDb } from './mariadb.mjs';
import { prepare, ROOT, VAR } from './prepare.mjs';
import { supervise, whenAbandoned } from './supervisor.mjs';

/** The rights of the demo site and its editors. */
const SITE_RIGHTS = ['library:read', 'library:write', 'recipes:read', 'pages:read'];
const DEMO = join(VAR, 'demo');
const ACCESS_FILE = join(VAR, 'demo-access.json');
const LOCK_FILE = join(VAR, 'demo.pid');
const DEFAULT_PORT = 4280;
const EMAIL = 'keeper@skerry.example';
const NAME = 'Edda Marrow';

const { values } = parseArgs({
  options: { fresh: { type: 'boolean', default: false }, port: { type: 'string' } },
});

/** @type {(() => Promise<unknown> | void)[]} what to end, the last first */
const endings = [];
let isEnding = false;

process.on('SIGINT', () => void end(0));
process.on('SIGTERM', () => void end(0));
process.on('SIGHUP', () => void end(0));
whenAbandoned(() => void end(0));

try {
  await start();
} catch (error) {
  if (!isEnding) console.error(`\n${error instanceof Error ? error.message : error}`);
  await end(1);
}

async function start() {
  const began = Date.now();
  mkdirSync(VAR, { recursive: true });
  takeLock();
  rmSync(ACCESS_FILE, { force: true });
  prepare();
  if (values.fresh) rmSync(DEMO, { recursive: true, force: true });
  mkdirSync(DEMO, { recursive: true });

  console.log('Starting the database …');
  const database = await startMariaDb(join(DEMO, 'mariadb'));
  endings.push(() => database.stop());
  const port = await choosePort();
  const url = `http://127.0.0.1:${port}`;
  const secrets = keepSecrets();
  const providerPort = await findFreePort();
  const sitePort = await findFreePort();
  const bucket = {
    url: `http://127.0.0.1:${await findFreePort()}`,
    accessKey: 'skerry-light',
    secret: secrets.bucket,
  };
  mkdirSync(join(DEMO, 'inbox'), { recursive: true });
  const env = {
    UNIFERUM_INBOX_DIR: join(DEMO, 'inbox'),
    UNIFERUM_SOURCE_DIRS: [join(DEMO, 'guide'), tmpdir()].join(delimiter),
    UNIFERUM_ALLOWED_HOSTS: [providerPort, sitePort, database.port, new URL(bucket.url).port]
      .map((one) => `127.0.0.1:${one}`)
      .join(','),
    UNIFERUM_PORT: String(port),
    UNIFERUM_PUBLIC_URL: url,
    UNIFERUM_DB_PORT: String(database.port),
    UNIFERUM_DB_USER: database.user,
    UNIFERUM_DB_PASSWORD: database.password,
    UNIFERUM_DATA_DIR: join(DEMO, 'data'),
    UNIFERUM_WEB_DIR: join(ROOT, 'web/dist'),
    UNIFERUM_LOG_LEVEL: process.env.UNIFERUM_LOG_LEVEL ?? 'info',
  };

  await startPart('provider', 'standins/dist/provider/main.js', { PROVIDER_PORT: String(providerPort) });
  await startPart('bucket store', 'standins/dist/bucket/main.js', {
    PORT: new URL(bucket.url).port,
    BUCKET_FOLDER: join(DEMO, 'buckets'),
    BUCKET_ACCESS_KEY: bucket.accessKey,
    BUCKET_SECRET: bucket.secret,
  });
  console.log('Starting server and worker …');
  await startPart('server', 'server/dist/main.js', env);
  await startPart('worker', 'server/dist/worker-main.js', env);
  await admin(['user', '--yes', '--email', EMAIL, '--name', NAME], {
    ...env,
    UNIFERUM_PASSWORD: secrets.password,
  });
  const key = await usableKey(url, secrets, env);
  await fill(url, key, { provider: `http://127.0.0.1:${providerPort}`, database });
  await run('demo/dist/connect.js', [url, key, bucket.url, bucket.accessKey, bucket.secret], {}, 'inherit');
  const siteUrl = await startSite(url, { ...env, SITE_PORT: String(sitePort) });
  writeFileSync(
    ACCESS_FILE,
    `${JSON.stringify({ url, email: EMAIL, password: secrets.password, key, site: siteUrl }, null, 2)}\n`,
    { mode: 0o600 },
  );
  console.log(`
  Uniferum is ready, after ${Math.round((Date.now() - began) / 1000)} s.

    Console    ${url}
    Sign in    ${EMAIL}   ${secrets.password}
    Demo site  ${siteUrl}
    Inbox      ${join(DEMO, 'inbox')}
    Films      http://127.0.0.1:${providerPort}
    Buckets    ${bucket.url}
    API key    ${key}
    API        ${url}/api/v1/openapi.json

  All of this is also in var/demo-access.json. Ctrl-C stops everything.
`);
}

/** Only one demo can use a data folder at a time. */
function takeLock() {
  const other = existsSync(LOCK_FILE) ? Number(readFileSync(LOCK_FILE, 'utf8')) : 0;
  if (other > 0 && other !== process.pid && isDemo(other)) {
    throw new Error(
      `The demo is running already (process ${other}). Its address is in var/demo-access.json; end it with Ctrl-C or "kill ${other}" first.`,
    );
  }
  writeFileSync(LOCK_FILE, String(process.pid));
  endings.push(() => rmSync(LOCK_FILE, { force: true }));
  endings.push(() => rmSync(ACCESS_FILE, { force: true }));
}

/** @param {number} pid */
function isDemo(pid) {
  try {
    return readFileSync(`/proc/${pid}/cmdline`, 'utf8').includes('demo.mjs');
  } catch {
    return false;
  }
}

async function choosePort() {
  if (values.port !== undefined) {
    const port = Number(values.port);
    if (!Number.isInteger(port) || port < 1 || port > 65_535)
      throw new Error(`--port takes a number from 1 to 65535, not "${values.port}".`);
    if (!(await isPortFree(port)))
      throw new Error(`Port ${port} is taken. Choose another with --port, or leave it out.`);
    return port;
  }
  return (await isPortFree(DEFAULT_PORT)) ? DEFAULT_PORT : findFreePort();
}

function keepSecrets() {
  const file = join(DEMO, 'secrets.json');
  const random = () => randomBytes(9).toString('base64url');
  const kept = existsSync(file) ? JSON.parse(readFileSync(file, 'utf8')) : {};
  const secrets = { password: random(), bucket: random(), ...kept };
  writeSecrets(secrets);
  return /** @type {{ password: string, bucket: string, key?: string, siteKey?: string }} */ (secrets);
}

/** @param {object} secrets */
function writeSecrets(secrets) {
  writeFileSync(join(DEMO, 'secrets.json'), JSON.stringify(secrets), { mode: 0o600 });
}

/** The key of the last start, if the database still knows it. @param {string} url @param {{ password: string, key?: string, siteKey?: string }} secrets @param {Record<string, string>} env */
async function usableKey(url, secrets, env) {
  /** @param {string} [key] @returns {Promise<string[] | null>} */
  const rightsOf = async (key) => {
    const answer = await fetch(`${url}/api/v1/me`, { headers: { Authorization: `Bearer ${key}` } });
    return answer.ok ? (await answer.json()).rights : null;
  };
  const siteRights = await rightsOf(secrets.siteKey);
  // A key created before this right existed lacks it.
  const isKnown = secrets.key && (await rightsOf(secrets.key))?.includes('connections:write');
  if (secrets.key && isKnown && SITE_RIGHTS.every((right) => siteRights?.includes(right))) return secrets.key;
  const key = await admin(['key', '--name', 'Demo script'], env);
  const siteKey = await admin(['key', '--name', 'Demo site', '--rights', SITE_RIGHTS.join(',')], env);
  writeSecrets({ ...secrets, key, siteKey });
  return key;
}

/** @param {string} url @param {string} key @param {{ provider: string, database: { port: number, user: string, password: string } }} others */
async function fill(url, key, { provider, database }) {
  const mark = join(DEMO, 'filled');
  if (existsSync(mark)) return;
  console.log('Making the demo data: painting pictures, then importing them …');
  await run(
    'demo/dist/main.js',
    [join(DEMO, 'files'), url, key, join(DEMO, 'inbox'), provider, join(DEMO, 'guide')],
    {
      SITE_DB_PORT: String(database.port),
      SITE_DB_USER: database.user,
      SITE_DB_PASSWORD: database.password,
    },
    'inherit',
  );
  writeFileSync(mark, new Date().toISOString());
}

/** @param {string} url @param {Record<string, string>} env */
async function startSite(url, env) {
  const { siteKey } = keepSecrets();
  const port = env.SITE_PORT;
  await startPart('site', 'standins/dist/site/main.js', {
    ...env,
    UNIFERUM_URL: url,
    UNIFERUM_KEY: siteKey ?? '',
  });
  return `http://127.0.0.1:${port}`;
}

/** @param {string[]} args @param {Record<string, string>} env */
function admin(args, env) {
  return run('server/dist/admin.js', args, env, 'pipe');
}

/** @param {string} file @param {string[]} args @param {Record<string, string>} env @param {'pipe' | 'inherit'} output @returns {Promise<string>} */
function run(file, args, env, output) {
  return new Promise((resolve, reject) => {
    const child = spawn(process.execPath, [join(ROOT, file), ...args], {
      env: { ...process.env, ...env },
      stdio: ['ignore', output, 'inherit'],
      cwd: ROOT,
    });
    endings.push(() => void child.kill());
    let text = '';
    child.stdout?.on('data', (part) => {
      text += part;
    });
    child.once('exit', (code) =>
      code === 0 ? resolve(text.trim()) : reject(new Error(`${file} ended with ${code}.`)),
    );
  });
}

/** Starts a process that says when it is ready, and starts it again when it dies. @param {string} name @param {string} file @param {Record<string, string>} env @returns {Promise<void>} */
async function startPart(name, file, env) {
  const log = openSync(join(DEMO, `${name}.log`), 'w');
  const part = supervise(join(ROOT, file), { name, env, stdio: ['ignore', log, log, 'ipc'] });
  endings.push(() => part.stop());
  void part.ended.then((code) => {
    if (isEnding) return;
    console.error(`The ${name} ended (${code}). Its last words are in var/demo/${name}.log.`);
    void end(1);
  });
  await part.ready;
}

/** @param {number} code */
async function end(code) {
  if (isEnding) return;
  isEnding = true;
  if (endings.length > 2) console.log('\nStopping …');
  for (const ending of endings.reverse()) await ending();
  process.exit(code);
}

import { execFile } from 'node:child_process';
import { mkdir, mkdtemp, readFile, rm, symlink, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { inject } from 'vitest';
import {
  BUCKET_ACCOUNT,
  BUCKET_SECRET,
  startBucket,
  type TestBucket,
} from '../../server/src/testing/bucket.js';
import { photo, startTestServer, type TestServer } from '../../server/src/testing/harness.js';
import { startOutsideSite } from '../../server/src/testing/outside-site.js';
import { zip } from '../../server/src/testing/zip.js';
import { createEngine } from '../../server/src/worker.js';

const ROOT = fileURLToPath(new URL('../..', import.meta.url));

/** An example of a document. */
export interface Example {
  language: 'sh' | 'js';
  code: string;
  /** Its line in the document. */
  line: number;
}

/** How an example ended, and what it wrote. */
export interface Ended {
  code: number;
  out: string;
  err: string;
}

/** Reads the examples of a document that can be run. */
export async function readExamples(path: string): Promise<Example[]> {
  const text = await readDocument(path);
  return [...text.matchAll(/^```(sh|js)\n([\s\S]*?)^```$/gm)].map(({ index, 1: language, 2: code = '' }) => ({
    language: language as Example['language'],
    code,
    line: text.slice(0, index).split('\n').length + 1,
  }));
}

export function readDocument(path: string): Promise<string> {
  return readFile(join(ROOT, path), 'utf8');
}

/** What the documents take for granted: a server with a worker, a site, a bucket, and files in the current folder. */
export interface Scene {
  server: TestServer;
  bucket: TestBucket;
  siteUrl: string;
  folder: string;
  key: string;
  /** @param input what it reads */
  run(example: Pick<Example, 'language' | 'code'>, input?: string): Promise<Ended>;
  close(): Promise<void>;
}

export async function openScene(): Promise<Scene> {
  const site = await startOutsideSite();
  const bucket = await startBucket();
  const { host, port } = inject('database');
  const allowed = [site.host, bucket.host, `${host}:${port}`].join(',');
  const server = await startTestServer({ env: { UNIFERUM_ALLOWED_HOSTS: allowed } });
  const engine = createEngine(server.services, server.house);
  await engine.start();
  const key = await server.key();
  const folder = await mkdtemp(join(tmpdir(), 'uniferum-documents-'));
  const [sources = ''] = server.config.sourceDirs;
  /** Addresses and folders of the invented site, and where they are here. */
  const here: readonly [said: string, meant: string][] = [
    ['https://www.skerry.example', site.url],
    ['https://skerry.example', site.url],
    ['https://film.example', site.url],
    ['https://media.skerry.example', server.url],
    ['http://127.0.0.1:4280', server.url],
    ['/srv/site', sources],
  ];
  await preparePictures(folder);
  await preparePages(sources);
  await prepareSite(site);
  const settings = {
    ...{ endpoint: bucket.endpoint, bucket: 'open', accessKey: BUCKET_ACCOUNT.accessKey },
    publicUrl: `${bucket.endpoint}/open`,
  };
  const said = JSON.parse(/```json\n([\s\S]*?)```/.exec(await readDocument('docs/STORES.md'))?.[1] ?? '');
  const connection = { ...said, secret: BUCKET_SECRET, settings: { ...said.settings, ...settings } };
  await writeFile(join(folder, 'bucket.json'), JSON.stringify(connection));

  const env = {
    ...process.env,
    ...server.env,
    ...{ HOME: folder, XDG_CONFIG_HOME: undefined, NO_COLOR: '1' },
    ...{ UNIFERUM_URL: server.url, UNIFERUM_KEY: key, PATH: `${join(folder, 'bin')}:${process.env.PATH}` },
  };
  return {
    ...{ server, bucket, siteUrl: site.url, folder, key },
    async run({ language, code }, input = '') {
      const meant = here.reduce((text, [from, to]) => text.replaceAll(from, to), code);
      const script = join(folder, language === 'js' ? '.example.mjs' : '.example.sh');
      await writeFile(script, language === 'js' ? withClient(meant) : `set -eu\n${meant}`);
      return new Promise((resolve) => {
        const command = language === 'js' ? process.execPath : 'sh';
        const child = execFile(command, [script], { env, cwd: folder }, (error, out, err) =>
          resolve({ code: error ? Number(error.code) : 0, out, err }),
        );
        child.stdin?.on('error', () => {});
        child.stdin?.end(input);
      });
    },
    async close() {
      await engine.close();
      await server.close();
      await bucket.close();
      site.close();
      await rm(folder, { recursive: true, force: true });
    },
  };
}

/** Scripts begin with the same two lines, which most examples leave out. */
function withClient(code: string): string {
  if (code.includes('createClient(')) return code;
  return `import { createClient } from '@uniferum/client';
const uniferum = createClient({ baseUrl: process.env.UNIFERUM_URL, key: process.env.UNIFERUM_KEY });
${code}`;
}

async function preparePictures(folder: string): Promise<void> {
  const views = { 'dusk.jpg': await photo(300, 200, 1), 'dawn.jpg': await photo(300, 200, 2) };
  for (const name of ['bin', 'views', 'site', 'node_modules/@uniferum'])
    await mkdir(join(folder, name), { recursive: true });
  await symlink(join(ROOT, 'cli/bin/uniferum.js'), join(folder, 'bin/uniferum'));
  await symlink(join(ROOT, 'client'), join(folder, 'node_modules/@uniferum/client'));
  await symlink(join(ROOT, 'server'), join(folder, 'server'));
  for (const [name, data] of Object.entries(views)) {
    await writeFile(join(folder, 'views', name), data);
    await writeFile(join(folder, name), await photo(320, 200, name.length));
  }
  await writeFile(join(folder, 'views.zip'), await zip(views));
  await writeFile(join(folder, 'site/map.txt'), 'The sound, by hand');
  await writeFile(join(folder, 'bin/photograph'), '#!/bin/sh\ncat dusk.jpg dusk.jpg\n', { mode: 0o755 });
}

async function preparePages(sources: string): Promise<void> {
  await mkdir(join(sources, 'guide'), { recursive: true });
  await mkdir(join(sources, 'assets'), { recursive: true });
  const link = '[the light](https://old.skerry.example/files/lights/dusk.jpg)';
  await writeFile(join(sources, 'guide/index.md'), `# Guide\n\n${link} ![gone](/media/lights/gone.jpg)\n`);
  await writeFile(join(sources, 'assets/site.css'), 'body { background: url(paper.png) }');
  await writeFile(join(sources, 'assets/paper.png'), await photo(20, 20, 9));
}

/** The older news of the site, in a table, with the settings of a source and a list of addresses that have changed. */
export async function prepareNews({ server: { db, config }, folder }: Scene): Promise<void> {
  await db.query('CREATE TABLE old_news (id INT PRIMARY KEY, body TEXT NOT NULL)');
  await db.query('INSERT INTO old_news VALUES (1, ?)', ['<p><img src="/files/relief-boat.jpg" alt=""></p>']);
  const { host, port, user, password, name: database } = config.database;
  const settings = { host, port, user, database, table: 'old_news', key: 'id', columns: [{ name: 'body' }] };
  const source = { kind: 'database', secret: password, settings: { ...settings, writable: true } };
  await writeFile(join(folder, 'news.json'), JSON.stringify(source));
  await writeFile(join(folder, 'moved.csv'), '/files/relief-boat.jpg,/media/news/relief-boat.jpg\n');
}

async function prepareSite(site: Awaited<ReturnType<typeof startOutsideSite>>): Promise<void> {
  for (const [n, name] of ['dusk', 'dawn'].entries()) {
    const data = await photo(400, 260, 20 + n);
    site.pages.set(`/${name}.jpg`, (_, res) => res.setHeader('Content-Type', 'image/jpeg').end(data));
  }
  const film = { type: 'video', version: '1.0', title: 'The relief boat', html: '<iframe></iframe>' };
  site.pages.set('/oembed', (_, res) =>
    res.setHeader('Content-Type', 'application/json+oembed').end(JSON.stringify(film)),
  );
  const link = `<link rel="alternate" type="application/json+oembed" href="${site.url}/oembed">`;
  site.pages.set('/relief-boat', (_, res) =>
    res.setHeader('Content-Type', 'text/html').end(`<!doctype html><title>Boat</title>${link}`),
  );
  site.pages.set('/', (_, res) =>
    res
      .setHeader('Content-Type', 'text/html')
      .end('<!doctype html><title>Lights</title><img src="/dusk.jpg">'),
  );
}

// @ts-check
import { execFileSync, spawnSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { gzipSync } from 'node:zlib';
import { build } from 'vite';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { ROOT } from '../prepare.mjs';

// The client and the command line as others get them: packed, linted, installed where nothing of this repository is, compiled
// and run there.

const BIN = join(ROOT, 'node_modules/.bin');
/** @type {string} */
let away;
/** @type {Record<string, string>} */
const packed = {};

beforeAll(() => {
  away = mkdtempSync(join(tmpdir(), 'uniferum-packages-'));
  for (const name of ['client', 'cli']) packed[name] = join(away, pack(join(ROOT, name)));
  writeFileSync(join(away, 'package.json'), '{ "name": "a-script", "private": true, "type": "module" }');
  const options = ['--offline', '--no-audit', '--no-fund', '--loglevel=error'];
  execFileSync('npm', ['install', ...options, packed.client ?? '', packed.cli ?? ''], { cwd: away });
}, 120_000);
afterAll(() => rmSync(away, { recursive: true, force: true }));

/** @param {string} folder */
function pack(folder) {
  const said = execFileSync('npm', ['pack', '--json', '--pack-destination', away], {
    cwd: folder,
    encoding: 'utf8',
  });
  return JSON.parse(said.slice(said.indexOf('[\n')))[0].filename;
}

/** @param {string} command @param {string[]} args @param {Record<string, string | undefined>} [env] */
function run(command, args, env = {}) {
  const { status, stdout, stderr } = spawnSync(command, args, {
    cwd: away,
    encoding: 'utf8',
    env: { ...process.env, ...env },
  });
  return { status, said: stdout + stderr };
}

test('the manifests of the repository are as they were', () => {
  for (const name of ['client', 'cli']) {
    const manifest = JSON.parse(readFileSync(join(ROOT, name, 'package.json'), 'utf8'));
    expect([manifest.private, readdirSync(join(ROOT, name)).includes('lib')]).toEqual([true, false]);
  }
});

describe.each(['client', 'cli'])('the package of the %s', (name) => {
  const installed = () => join(away, 'node_modules/@uniferum', name);

  test('depends on nothing, and contains no tests, maps or paths of ours', () => {
    const manifest = JSON.parse(readFileSync(join(installed(), 'package.json'), 'utf8'));
    expect([manifest.dependencies, manifest.private, manifest.scripts]).toEqual([
      undefined,
      undefined,
      undefined,
    ]);
    const files = readdirSync(installed(), { recursive: true, withFileTypes: true }).filter((one) =>
      one.isFile(),
    );
    expect(files.filter((one) => /\.test\.|\.map$|tsbuildinfo/.test(one.name))).toEqual([]);
    expect(files.map((one) => one.name)).toEqual(
      expect.arrayContaining(['README.md', 'LICENSE', 'package.json']),
    );
    for (const { parentPath, name: file } of files)
      if (/\.(?:js|d\.ts)$/.test(file)) {
        const text = readFileSync(join(parentPath, file), 'utf8');
        expect(text.includes(ROOT), file).toBe(false);
        expect(/['"]@uniferum\/core/.test(text), file).toBe(false);
      }
  });

  test('is clean under both linters', () => {
    const publint = run(join(BIN, 'publint'), [packed[name] ?? '', '--strict']);
    expect([publint.status, publint.said]).toEqual([0, expect.stringContaining('All good')]);
    if (name === 'cli') return;
    const types = run(join(BIN, 'attw'), [packed[name] ?? '', '--profile', 'esm-only', '--no-color']);
    // It names what it was told to ignore: CommonJS, which the package does not offer.
    expect([types.status, types.said]).toEqual([0, expect.stringContaining('🟢 (ESM)')]);
  });
});

describe('a script with the client', () => {
  /** @param {string} source */
  function compile(source) {
    writeFileSync(join(away, 'script.ts'), source);
    const options = ['--strict', '--noEmit', '--exactOptionalPropertyTypes', '--noUncheckedIndexedAccess'];
    const as = [
      '--module',
      'nodenext',
      '--target',
      'es2023',
      '--lib',
      'es2023,dom,dom.iterable',
      '--types',
      '',
    ];
    return run(join(BIN, 'tsc'), [...options, ...as, '--skipLibCheck', 'false', 'script.ts']);
  }

  test('compiles under strict rules, without anything but the package', () => {
    const { status, said } = compile(`
import { type Asset, assetCalls, connect, createClient, isUniferumApiError, type UploadResult } from '@uniferum/client';
const uniferum = createClient({ baseUrl: 'https://media.skerry.example', key: 'uf_x' });
export async function send(): Promise<string[]> {
  const results: UploadResult[] = await uniferum.assets.upload({
    folder: '/lights', files: ['dusk.jpg', new Blob(['a']), { name: 'b', data: new Uint8Array(2) }], alt: 'A light',
    onFileProgress: ({ index, sentBytes, bytes }) => void (index + sentBytes / bytes),
  });
  const urls: string[] = [];
  for await (const asset of uniferum.assets.list({ q: 'kind:image', folder: '/lights', deep: true })) urls.push(asset.url);
  const asset: Asset = await uniferum.assets.get({ path: '/lights/dusk.jpg' });
  const { action } = await uniferum.assets.put('/lights/dusk.jpg', 'dusk.jpg');
  for (const { state, url } of await uniferum.renditions.wait(asset)) if (state === 'fresh' && url !== null) urls.push(url);
  for await (const { type, id } of uniferum.events({ types: ['asset.created'] })) urls.push(type, id ?? action);
  return [...urls, ...results.map(({ verdict }) => verdict.outcome)];
}
export const calls = (({ http, list }) => assetCalls(http, list))(connect());
export const statusOf = (error: unknown): number | null => (isUniferumApiError(error) ? error.problem.status : null);
`);
    expect([status, said]).toEqual([0, '']);
  });

  test.each([
    ["a call that isn't there", 'uniferum.assets.uplaod({ folder: "/", files: [] });', /uplaod/],
    ["a setting that isn't there", 'uniferum.assets.upload({ floder: "/", files: [] });', /floder/],
    ['a missing folder', 'uniferum.assets.upload({ files: [] });', /folder/],
    ['data of no known form', 'uniferum.assets.upload({ folder: "/", files: [7] });', /number/],
    [
      "a state that isn't one",
      'const [one] = await uniferum.renditions.wait("1"); if (one?.state === "freshh") one;',
      /freshh|no overlap/,
    ],
    ['a text for a number', 'uniferum.assets.list({ limit: "60" });', /string/],
    [
      'what may be missing',
      'const [sent] = await uniferum.assets.upload({ folder: "/", files: [] }); sent.asset.url;',
      /undefined|null/,
    ],
    ['an unknown way to be found', 'uniferum.assets.get({ id: "7" });', /id/],
  ])('does not compile with %s', (_what, line, message) => {
    const { status, said } = compile(
      `import { createClient } from '@uniferum/client';\nconst uniferum = createClient({});\n${line}\nexport {};\n`,
    );
    expect([status === 0, said]).toEqual([false, expect.stringMatching(message)]);
  });

  test('runs', () => {
    writeFileSync(
      join(away, 'script.mjs'),
      `import { createClient } from '@uniferum/client';
const uniferum = createClient({ baseUrl: 'http://127.0.0.1:9', retries: 0 });
try { await uniferum.session.me(); } catch ({ name, code }) { console.log(name, code); }`,
    );
    expect(run(process.execPath, ['script.mjs']).said).toBe('UniferumConnectionError unreachable\n');
  });

  /** @param {string} source @returns the bytes over the wire */
  async function bundle(source) {
    const folder = join(away, 'page');
    mkdirSync(folder, { recursive: true });
    writeFileSync(join(folder, 'page.js'), source);
    const outDir = join(folder, 'out');
    const lib = { entry: join(folder, 'page.js'), formats: /** @type {['es']} */ (['es']), fileName: 'page' };
    await build({ configFile: false, root: folder, logLevel: 'error', build: { lib, outDir, minify: true } });
    return gzipSync(readFileSync(join(outDir, 'page.js')), { level: 9 }).length;
  }

  test('is small in a browser, and smaller with a single resource', async () => {
    const whole = await bundle(
      `import { createClient } from '@uniferum/client'; window.uniferum = createClient();`,
    );
    const one = await bundle(
      `import { connect, recipeCalls } from '@uniferum/client'; const { http, list } = connect(); window.recipes = recipeCalls(http, list);`,
    );
    expect(whole).toBeLessThan(15_000);
    expect(one).toBeLessThan(whole * 0.6);
  });
});

test('the command line runs from its package, and says what it can', () => {
  const program = join(away, 'node_modules/.bin/uniferum');
  const { version } = JSON.parse(readFileSync(join(ROOT, 'cli/package.json'), 'utf8'));
  expect(run(program, ['--version'])).toEqual({ status: 0, said: `${version}\n` });
  expect(run(program, ['--help']).said).toContain('mirror');
  const env = {
    UNIFERUM_URL: 'http://127.0.0.1:9',
    UNIFERUM_KEY: 'uf_x',
    UNIFERUM_CONFIG: join(away, 'none.json'),
  };
  expect(run(program, ['whoami'], env)).toEqual({
    status: 3,
    said: expect.stringContaining('could not be reached'),
  });
});

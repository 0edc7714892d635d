// @ts-check
// Prepares a fresh clone: Debian packages, npm packages, build. A step is skipped if nothing it depends on has changed.
import { spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { delimiter, isAbsolute, join } from 'node:path';
import { compressAssets } from './compress-assets.mjs';

export const ROOT = new URL('..', import.meta.url).pathname.replace(/\/$/, '');
export const VAR = join(ROOT, 'var');

/** The Debian package of each command. Commands are checked rather than packages, because they may be installed in other ways. */
const FOR_DEMO = {
  mariadbd: 'mariadb-server-core',
  my_print_defaults: 'mariadb-client-core',
  pdftoppm: 'poppler-utils',
  ffmpeg: 'ffmpeg',
  jpegtran: 'libjpeg-turbo-progs',
  // Pictures of phones, studios and cameras.
  vips: 'libvips-tools',
  // Other packages have a command "convert", too.
  convert: 'imagemagick',
  identify: 'imagemagick',
  exiftool: 'libimage-exiftool-perl',
};
const FOR_TESTS = {
  ...FOR_DEMO,
  chromium: 'chromium',
  'mariadb-dump': 'mariadb-client',
  vipsthumbnail: 'libvips-tools',
  zip: 'zip',
  // Documentation in many languages and encodings, used by tests.
  '/usr/share/doc/apache2-doc/manual/index.html': 'apache2-doc',
};

/** The browser builds: folder, configuration and name. */
const BROWSER_BUILDS = /** @type {const} */ ([
  ['web', 'vite.config.ts', 'The console'],
  ['web', 'vite.element.config.ts', 'The picker'],
  ['standins', 'vite.config.ts', 'The demo site'],
]);

const SOURCES = ['core', 'client', 'cli', 'server', 'standins', 'demo', 'web', 'e2e', 'bench'];
const SOURCE_FILE = /\.(?:ts|tsx|css|html|json|svg|sql)$/;

/** @param {{ forTests?: boolean, say?: (text: string) => void }} [options] */
export function prepare({ forTests = false, say = console.log } = {}) {
  checkNode();
  installPackages(forTests ? FOR_TESTS : FOR_DEMO, say);
  installModules(say);
  build(say);
}

function checkNode() {
  const [major = 0, minor = 0] = process.versions.node.split('.').map(Number);
  if (major > 20 || (major === 20 && minor >= 19)) return;
  throw new Error(`Uniferum needs Node.js 20.19 or newer; this is ${process.versions.node}.`);
}

/** @param {Record<string, string>} commands @param {(text: string) => void} say */
function installPackages(commands, say) {
  const missing = [
    ...new Set(
      Object.entries(commands)
        .filter(([command]) => !findCommand(command))
        .map(([, name]) => name),
    ),
  ];
  if (missing.length === 0) return;
  const asRoot =
    process.getuid?.() === 0
      ? []
      : findCommand('sudo') && run('sudo', ['-n', 'true'], { quiet: true })
        ? ['sudo', '-n']
        : null;
  if (asRoot === null || !findCommand('apt-get')) {
    throw new Error(
      `These Debian packages are missing: ${missing.join(' ')}. Install them, with "apt-get install --no-install-recommends ${missing.join(' ')}" for one, and start again.`,
    );
  }
  say(`Installing ${missing.join(', ')} …`);
  const apt = [
    ...asRoot,
    'env',
    'DEBIAN_FRONTEND=noninteractive',
    'apt-get',
    '-qq',
    '-o',
    'DPkg::Lock::Timeout=120',
  ];
  run(apt[0] ?? '', [...apt.slice(1), 'update'], { quiet: true });
  if (
    !run(apt[0] ?? '', [...apt.slice(1), 'install', '-y', '--no-install-recommends', ...missing], {
      quiet: true,
    })
  ) {
    throw new Error(`apt-get could not install ${missing.join(' ')}. Install them yourself and start again.`);
  }
}

/** @param {(text: string) => void} say */
function installModules(say) {
  const stamp = join(ROOT, 'node_modules', '.uniferum-stamp');
  const wanted = digest([join(ROOT, 'package-lock.json')]);
  if (existsSync(stamp) && readFileSync(stamp, 'utf8') === wanted) return;
  say('Installing npm packages …');
  if (!run('npm', ['ci', '--no-fund', '--no-audit', '--loglevel=error']))
    throw new Error('npm ci failed. Its message is above.');
  writeFileSync(stamp, wanted);
}

/** @param {(text: string) => void} say */
export function build(say = console.log) {
  const stamp = join(VAR, 'build-stamp');
  const wanted = digest([
    join(ROOT, 'package-lock.json'),
    join(ROOT, 'tsconfig.base.json'),
    ...SOURCES.flatMap((folder) => sourceFiles(join(ROOT, folder))),
  ]);
  const outputs = [
    'server/dist/main.js',
    'demo/dist/main.js',
    'standins/dist/site/main.js',
    'web/dist/index.html',
    'web/dist/picker.html',
    'web/dist/picker.js',
    'standins/dist/browser/react-editor.js',
  ];
  if (
    existsSync(stamp) &&
    readFileSync(stamp, 'utf8') === wanted &&
    outputs.every((file) => existsSync(join(ROOT, file)))
  )
    return;
  say('Building …');
  if (!run(join(ROOT, 'node_modules/.bin/tsc'), ['-b']))
    throw new Error('The types are wrong. The message is above.');
  for (const [folder, config, what] of BROWSER_BUILDS) {
    const vite = join(ROOT, 'node_modules/.bin/vite');
    const args = ['build', folder, '--config', join(folder, config), '--logLevel', 'warn'];
    // A test that builds says "test", which would put the development version of React into the console.
    const built = run(vite, args, { env: { NODE_ENV: 'production' } });
    if (!built) throw new Error(`${what} could not be built. The message is above.`);
  }
  compressAssets(join(ROOT, 'web/dist'));
  mkdirSync(VAR, { recursive: true });
  writeFileSync(stamp, wanted);
}

/** @param {string} folder @returns {string[]} */
function sourceFiles(folder) {
  if (!existsSync(folder)) return [];
  return readdirSync(folder, { withFileTypes: true })
    .filter(({ name }) => name !== 'node_modules' && name !== 'dist')
    .flatMap((entry) =>
      entry.isDirectory()
        ? sourceFiles(join(folder, entry.name))
        : SOURCE_FILE.test(entry.name)
          ? [join(folder, entry.name)]
          : [],
    )
    .sort();
}

/** @param {string[]} files */
function digest(files) {
  const hash = createHash('sha256');
  for (const file of files) hash.update(file.slice(ROOT.length)).update('\0').update(readFileSync(file));
  return hash.digest('hex');
}

/** A command, or a file by its absolute path. @param {string} command */
export function findCommand(command) {
  if (isAbsolute(command)) return existsSync(command) ? command : null;
  const folders = [...(process.env.PATH ?? '').split(delimiter), '/usr/sbin', '/sbin'];
  return (
    folders
      .map((folder) => join(folder, command))
      .find((path) => existsSync(path) && statSync(path).isFile()) ?? null
  );
}

/** @param {string} command @param {string[]} args @param {{ quiet?: boolean, env?: Record<string, string> }} [options] */
function run(command, args, { quiet = false, env = {} } = {}) {
  // CI=true disables prompts; output goes to stderr, so that the last line of stdout remains the result.
  const result = spawnSync(command, args, {
    cwd: ROOT,
    stdio: ['ignore', quiet ? 'ignore' : 2, 2],
    env: { ...process.env, CI: 'true', ...env },
  });
  return result.status === 0;
}

// @ts-check
// Makes `npm pack` in client/ and cli/ give packages that need nothing of this repository. npm calls it before and after.
import {
  cpSync,
  existsSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  renameSync,
  rmSync,
  writeFileSync,
} from 'node:fs';
import { dirname, join, relative, resolve } from 'node:path';
import { build } from 'vite';
import { build as compile, ROOT } from '../prepare.mjs';

const [when, name = ''] = process.argv.slice(2);
const FOLDER = join(ROOT, name);
const MANIFEST = join(FOLDER, 'package.json');
const KEPT_MANIFEST = join(FOLDER, 'package.json.kept');
const PACKED = join(FOLDER, 'lib');

/** What every package states. */
const COMMON = {
  license: 'MIT',
  type: 'module',
  engines: { node: '>=20.19' },
  sideEffects: false,
  files: ['lib', 'README.md', 'LICENSE'],
};

if (when === 'before') {
  restore();
  compile(() => {});
  rmSync(PACKED, { recursive: true, force: true });
  mkdirSync(PACKED);
  const own = JSON.parse(readFileSync(MANIFEST, 'utf8'));
  const published = name === 'client' ? packClient() : await packCli();
  renameSync(MANIFEST, KEPT_MANIFEST);
  const { version } = own;
  writeFileSync(
    MANIFEST,
    `${JSON.stringify({ name: own.name, version, ...published, ...COMMON }, null, 2)}\n`,
  );
  cpSync(join(ROOT, 'LICENSE'), join(FOLDER, 'LICENSE'));
} else restore();

/** Also after a pack that was interrupted. */
function restore() {
  if (existsSync(KEPT_MANIFEST)) renameSync(KEPT_MANIFEST, MANIFEST);
  rmSync(join(FOLDER, 'LICENSE'), { force: true });
  if (when === 'after') rmSync(PACKED, { recursive: true, force: true });
}

function packClient() {
  const built = join(FOLDER, 'dist');
  for (const file of readdirSync(built)) {
    if (/\.test\.|\.map$/.test(file)) continue;
    if (file.endsWith('.d.ts')) copyTypes(join(built, file), join(PACKED, file));
    else if (file.endsWith('.js'))
      writeFileSync(
        join(PACKED, file),
        readFileSync(join(built, file), 'utf8').replace(/\n\/\/# sourceMappingURL=.*/, ''),
      );
  }
  return {
    description: 'The JavaScript client of Uniferum, for Node.js and browsers.',
    exports: {
      '.': { types: './lib/index.d.ts', default: './lib/index.js' },
      './package.json': './package.json',
    },
  };
}

/** Copies declarations, and those of core that they lead to. @param {string} from @param {string} to */
function copyTypes(from, to) {
  if (existsSync(to)) return;
  /** @type {[from: string, to: string][]} */
  const further = [];
  const text = readFileSync(from, 'utf8')
    .replace(/\n\/\/# sourceMappingURL=.*/, '')
    .replace(/(from |import\()(?:'([^']+)'|"([^"]+)")/g, (_all, before, single, double) => {
      const target = sourceOf(single ?? double, from);
      const copy = target.core
        ? join(PACKED, 'core', relative(join(ROOT, 'core/dist'), target.path))
        : join(PACKED, relative(join(FOLDER, 'dist'), target.path));
      further.push([target.path, copy]);
      const path = relative(dirname(to), copy).replace(/\.d\.ts$/, '.js');
      return `${before}'${path.startsWith('.') ? path : `./${path}`}'`;
    });
  mkdirSync(dirname(to), { recursive: true });
  writeFileSync(to, text);
  for (const next of further) copyTypes(...next);
}

/** @param {string} specifier @param {string} from */
function sourceOf(specifier, from) {
  const room = /^@uniferum\/core\/(\w+)$/.exec(specifier)?.[1];
  if (room) return { core: true, path: join(ROOT, 'core/dist', room, 'index.d.ts') };
  if (!specifier.startsWith('.'))
    throw new Error(`${from} needs types of ${specifier}, which are not part of the package`);
  const path = resolve(dirname(from), specifier.replace(/\.js$/, '.d.ts'));
  return { core: path.startsWith(join(ROOT, 'core/dist')), path };
}

/** One file, with what it depends on, so that it works without installing anything else. */
async function packCli() {
  await build({
    configFile: false,
    root: FOLDER,
    logLevel: 'error',
    ssr: { noExternal: true },
    build: {
      ssr: 'bin/uniferum.js',
      outDir: PACKED,
      target: 'node20',
      minify: false,
      rollupOptions: { output: { entryFileNames: 'uniferum.js', codeSplitting: false } },
    },
  });
  const file = join(PACKED, 'uniferum.js');
  const text = readFileSync(file, 'utf8');
  if (!text.startsWith('#!')) writeFileSync(file, `#!/usr/bin/env node\n${text}`);
  return {
    description: 'The command line of Uniferum.',
    bin: { uniferum: 'lib/uniferum.js' },
    exports: { './package.json': './package.json' },
  };
}

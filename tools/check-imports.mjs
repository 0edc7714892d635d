// @ts-check
// Holds every import against the table of the house: who may use whom. Prints each breach as file:line, and exits 1.
import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { join, relative, sep } from 'node:path';
import { pathToFileURL } from 'node:url';

const ROOT = new URL('..', import.meta.url).pathname.replace(/\/$/, '');

/** Which of our packages each package may import; a type-only import of core is free for the client. */
const MAY_IMPORT = {
  core: [],
  client: ['core'],
  cli: ['client'],
  server: ['core'],
  web: ['core', 'client'],
  standins: ['core', 'client'],
  demo: ['core', 'client'],
};

/** The rooms of core, server and web. A file of a room's `queries` is its own business, unless another room asks by function. */
const ROOMS = [
  'access',
  'library',
  'intake',
  'rules',
  'recipes',
  'runs',
  'stores',
  'connections',
  'pairings',
  'desk',
  'pages',
  'parcels',
  'hooks',
  'flow',
];
const HOUSE = ['shared', 'ui', 'console', 'automate', 'testing'];

/** The platform's own fetch, not a call of the client by that name. */
const PLAIN_FETCH = /(?<![.\w])fetch\(/;

/** Libraries that compute and do nothing else: core may use them. */
const PURE_LIBRARIES = new Set(['papaparse']);

const CORE_FORBIDDEN = [
  [/\b(?:Date\.now|new Date\(\))/, 'the clock'],
  [/\bMath\.random\b|\bcrypto\./, 'randomness'],
  [/\b(?:document|window|localStorage|process|Buffer)\./, 'the DOM or Node'],
  [/\bfetch\(/, 'the network'],
];

/**
 * Lists what breaks the table.
 *
 * @param {string} [root]
 * @returns {string[]} one line each: file:line, and what is wrong
 */
export function findBreaches(root = ROOT) {
  return Object.keys(MAY_IMPORT)
    .flatMap((name) => sources(join(root, name, 'src')).map((file) => ({ name, file })))
    .flatMap(({ name, file }) => checkFile(name, file, root));
}

/** @param {string} name @param {string} file @param {string} root */
function checkFile(name, file, root) {
  const text = readFileSync(file, 'utf8');
  const isTest = /\.test\.tsx?$/.test(file) || file.includes(`${sep}testing${sep}`);
  const breaches = [];
  const at = (/** @type {number} */ index) =>
    `${relative(root, file)}:${text.slice(0, index).split('\n').length}`;
  for (const { specifier, index, isType } of findImports(text)) {
    const reason = whyForbidden(/** @type {keyof typeof MAY_IMPORT} */ (name), specifier, { isType, isTest });
    if (reason) breaches.push(`${at(index)}: ${reason}`);
  }
  if (name === 'core' && !isTest) {
    for (const [pattern, what] of CORE_FORBIDDEN) {
      const found = /** @type {RegExp} */ (pattern).exec(text);
      if (found)
        breaches.push(`${at(found.index)}: core has no access to ${what}; let the caller pass it in`);
    }
  }
  if (name === 'web' && !isTest && PLAIN_FETCH.test(text))
    breaches.push(`${at(text.search(PLAIN_FETCH))}: the console talks to the server through the client only`);
  if (
    name === 'server' &&
    !isTest &&
    isBusiness(file) &&
    /\b(?:SELECT|INSERT INTO|UPDATE|DELETE FROM)\b [a-z*(]/.test(text)
  ) {
    breaches.push(
      `${at(text.search(/\b(?:SELECT|INSERT INTO|UPDATE|DELETE FROM)\b [a-z*(]/))}: SQL belongs into the room's queries`,
    );
  }
  return breaches;
}

/** Files of rooms that hold work or HTTP, and no SQL. @param {string} file */
function isBusiness(file) {
  return ROOMS.includes(file.split(sep).at(-2) ?? '') && !/(?:queries|pages|outbox|tallies)\.ts$/.test(file);
}

/** @param {keyof typeof MAY_IMPORT} name @param {string} specifier @param {{ isType: boolean, isTest: boolean }} options */
function whyForbidden(name, specifier, { isType, isTest }) {
  const ours = /^@uniferum\/(\w+)/.exec(specifier)?.[1];
  if (ours && !(/** @type {string[]} */ (MAY_IMPORT[name]).includes(ours)))
    return `${name} may not import ${ours}`;
  if (isTest) return null;
  if (name === 'core' && !specifier.startsWith('.') && !PURE_LIBRARIES.has(specifier))
    return `core imports nothing from outside, and here ${specifier}`;
  if (name === 'client' && ours === 'core' && !isType)
    return 'the client takes only types of core, so that it has no dependencies';
  if (name === 'client' && !ours && !specifier.startsWith('.'))
    return `the client has no dependencies, and here ${specifier}`;
  if (name === 'web' && specifier.startsWith('node:'))
    return `the console runs in a browser, and here ${specifier}`;
  return null;
}

/** @param {string} text */
function findImports(text) {
  const pattern =
    /^(?:import|export)\s+(type\s)?[^;'"]*?from\s+['"]([^'"]+)['"]|^import\s+['"]([^'"]+)['"]|\bimport\(\s*['"]([^'"]+)['"]\s*\)/gm;
  return [...text.matchAll(pattern)].map((match) => ({
    specifier: match[2] ?? match[3] ?? match[4] ?? '',
    index: match.index,
    isType: match[1] !== undefined,
  }));
}

/** @param {string} folder @returns {string[]} */
function sources(folder) {
  if (!existsSync(folder)) return [];
  return readdirSync(folder, { recursive: true, encoding: 'utf8' })
    .filter((file) => /\.tsx?$/.test(file))
    .map((file) => join(folder, file));
}

/** Folders that are no rooms. @param {string} [root] */
export function findStrangeRooms(root = ROOT) {
  return ['core', 'server', 'web'].flatMap((name) =>
    readdirSync(join(root, name, 'src'), { withFileTypes: true })
      .filter((entry) => entry.isDirectory() && ![...ROOMS, ...HOUSE].includes(entry.name))
      .map((entry) => `${name}/src/${entry.name}: no room has this name`),
  );
}

if (process.argv[1] && import.meta.url === pathToFileURL(process.argv[1]).href) {
  const breaches = [...findBreaches(), ...findStrangeRooms()];
  for (const breach of breaches) console.error(breach);
  process.exit(breaches.length > 0 ? 1 : 0);
}

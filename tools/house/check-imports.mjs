// @ts-check
// Checks every import against the table of allowed dependencies. Prints each violation as file:line and exits with 1.
import { readdirSync } from 'node:fs';
import { join, sep } from 'node:path';
import { pathToFileURL } from 'node:url';
import { findCircles } from './circles.mjs';
import { placeOf, readSources } from './read-imports.mjs';
import { findRoomBreaches } from './rooms.mjs';

const ROOT = new URL('../..', import.meta.url).pathname.replace(/\/$/, '');

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

/** The rooms of core, server and web. */
const ROOMS = [
  'access',
  'runs',
  'events',
  'stores',
  'inspection',
  'library',
  'rules',
  'recipes',
  'intake',
  'serving',
  'pages',
  'connections',
  'copies',
  'pairings',
  'catalogues',
  'desk',
  'parcels',
  'webhooks',
  'flow',
];
const HOUSE = ['shared', 'ui', 'console', 'house', 'automate', 'testing'];

/** The platform's own fetch, not a call of the client by that name. */
const PLAIN_FETCH = /(?<![.\w])fetch\(/;

/** Runs on pages of other sites, and sends requests to those. */
const IN_OTHER_SITES = /picker[\\/]element\.ts$/;

const SQL = /\b(?:SELECT|INSERT INTO|UPDATE|DELETE FROM)\b [a-z*(]/;

/** Libraries that compute and do nothing else: core may use them. */
const PURE_LIBRARIES = new Set([
  'css-tree/tokenizer',
  'css-tree/utils',
  'entities/decode',
  'htmlparser2',
  'jsonc-parser',
  'micromark',
  'micromark-util-decode-string',
  'micromark-util-types',
  'papaparse',
]);

const CORE_FORBIDDEN = [
  [/\b(?:Date\.now|new Date\(\))/, 'the clock'],
  [/\bMath\.random\b|\bcrypto\./, 'randomness'],
  [/\b(?:document|window|localStorage|process|Buffer)\./, 'the DOM or Node'],
  [/\bfetch\(/, 'the network'],
];

/**
 * Lists violations of the table.
 *
 * @param {string} [root]
 * @returns {string[]} one line each: file:line, and what is wrong
 */
export function findBreaches(root = ROOT) {
  const packages = Object.keys(MAY_IMPORT).map((name) => ({
    name,
    sources: readSources(join(root, name, 'src'), root),
  }));
  return packages.flatMap(({ name, sources }) => [
    ...sources.flatMap((source) => checkFile(name, source)),
    ...findCircles(sources).map((files) => `these files import each other in a circle: ${files.join(', ')}`),
    ...(name === 'server' ? findRoomBreaches(sources) : []),
  ]);
}

/** @param {string} name @param {import('./read-imports.mjs').Source} source */
function checkFile(name, source) {
  const { file, text, isTest, imports } = source;
  const breaches = [];
  for (const { specifier, index, isType } of imports) {
    const reason = whyForbidden(/** @type {keyof typeof MAY_IMPORT} */ (name), specifier, { isType, isTest });
    if (reason) breaches.push(`${placeOf(source, index)}: ${reason}`);
  }
  if (isTest) return breaches;
  // Comments are blanked; the positions of everything else stay the same.
  const code = text.replace(/\/\*[\s\S]*?\*\/|(?<![:'"`])\/\/.*$/gm, (comment) =>
    comment.replace(/\S/g, ' '),
  );
  const find = (/** @type {RegExp} */ pattern, /** @type {string} */ reason) => {
    const found = pattern.exec(code);
    if (found) breaches.push(`${placeOf(source, found.index)}: ${reason}`);
  };
  if (name === 'core')
    for (const [pattern, what] of CORE_FORBIDDEN)
      find(/** @type {RegExp} */ (pattern), `core has no access to ${what}; let the caller pass it in`);
  if (name === 'web' && !IN_OTHER_SITES.test(file))
    find(PLAIN_FETCH, 'the console talks to the server through the client only');
  if (name === 'server' && isBusiness(file)) find(SQL, "SQL belongs into the room's queries");
  return breaches;
}

/** Files of rooms that hold work or HTTP, and no SQL. @param {string} file */
function isBusiness(file) {
  return ROOMS.includes(file.split(sep).at(-2) ?? '') && !/(?:queries|pages|outbox|counters)\.ts$/.test(file);
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

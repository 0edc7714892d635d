// @ts-check
// `npm run mutation`: changes lines of code and checks whether tests fail. It uses a seeded sample, so that it takes minutes.
import { fork } from 'node:child_process';
import { once } from 'node:events';
import { mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { parseArgs } from 'node:util';
import { prepare, ROOT, VAR } from './prepare.mjs';
import { randomFrom } from './random.mjs';

const { values } = parseArgs({
  options: {
    seed: { type: 'string', default: '1' },
    /** The number of line ranges to mutate in each folder; server tests take longer. */
    windows: { type: 'string', default: '4' },
    'server-windows': { type: 'string', default: '1' },
    folder: { type: 'string', multiple: true },
    /** Mutates every line of the folders. */
    all: { type: 'boolean', default: false },
    /** More than the machine has cores only where tests wait: a mutant that is slowed down counts as noticed. */
    concurrency: { type: 'string', default: '2' },
  },
});

prepare({ forTests: true });

/** The number of lines in a range. */
const WINDOW_LINES = 12;
/** The required share of covered mutants that tests detect, for each folder. */
const WANTED = 0.85;

const CORE = readdirSync(join(ROOT, 'core/src')).map((room) => `core/src/${room}`);
const SERVER = ['runs', 'rules', 'intake', 'stores'].map((room) => `server/src/${room}`);
const folders = values.folder ?? [...CORE, ...SERVER];
const { below } = randomFrom(Number(values.seed));

/** @typedef {{ killed: number, survived: number, uncovered: number, lines: string[] }} Score */

/** @type {Map<string, Score>} */
const scores = new Map();
mkdirSync(join(VAR, 'reports'), { recursive: true });
const concurrency = Number(values.concurrency);
await mutate(
  folders.filter((one) => one.startsWith('core')),
  concurrency,
);
// Reported after each part, so that the first results are not lost if the second part is interrupted.
report();
// Before its first mutant a process runs all tests of its rooms, one after the other: two of them use the machine better.
const rooms = folders.filter((one) => one.startsWith('server'));
const halves = rooms.length < 2 ? [rooms] : [0, 1].map((half) => rooms.filter((_, n) => n % 2 === half));
await Promise.all(halves.map((half) => mutate(half, concurrency / halves.length)));
report();

/** Mutates folders of one package in a process of its own. @param {string[]} part @param {number} concurrency */
async function mutate(part, concurrency) {
  if (part.length === 0) return;
  const task = {
    mutate: part.flatMap(values.all ? allOf : sampleOf),
    concurrency: Math.max(1, Math.floor(concurrency)),
    tempDirName: join(VAR, `mutation-${part.length}-${part[0]?.replaceAll('/', '-')}`),
  };
  const child = fork(join(ROOT, 'tools/mutation-part.mjs'), [JSON.stringify(task)], {
    cwd: ROOT,
    env: {
      ...process.env,
      // Read by vitest.mutation.config.ts.
      MUTATION_OF: part[0]?.split('/')[0],
      MUTATION_FOLDERS: part.join(','),
      // Tests that wait for what changed code never does would be ended, and their process started again, which takes longer.
      UNIFERUM_TEST_PATIENCE_MS: '10000',
    },
  });
  const ended = once(child, 'exit');
  const results = await Promise.race([
    once(child, 'message').then(([message]) => message),
    ended.then(() => null),
  ]);
  await ended;
  if (results === null) throw new Error(`The mutation of ${part.join(', ')} ended without a result.`);
  for (const result of results) score(part, result);
}

/** @param {string[]} part @param {import('./mutation-part.mjs').Mutant} mutant */
function score(part, { status, fileName, line, column, replacement, mutatorName }) {
  const folder = part.find((one) => fileName.includes(`${one}/`));
  if (folder === undefined) return;
  const score = scores.get(folder) ?? { killed: 0, survived: 0, uncovered: 0, lines: [] };
  scores.set(folder, score);
  const place = `${fileName.slice(fileName.indexOf(folder))}:${line}:${column}`;
  const what = `${place} ${mutatorName}: ${replacement.slice(0, 80).replace(/\s+/g, ' ')}`;
  if (status === 'Killed' || status === 'Timeout') score.killed += 1;
  else if (status === 'Survived') {
    score.survived += 1;
    score.lines.push(`survived   ${what}`);
  } else if (status === 'NoCoverage') {
    score.uncovered += 1;
    score.lines.push(`no test    ${what}`);
  }
}

/** @param {string} folder */
function filesOf(folder) {
  return readdirSync(join(ROOT, folder), { recursive: true, encoding: 'utf8' })
    .filter((file) => /\.ts$/.test(file) && !/\.test\.ts$/.test(file) && !/(?:^|\/)index\.ts$/.test(file))
    .map((file) => `${folder}/${file}`)
    .sort();
}

/** @param {string} folder */
function allOf(folder) {
  return filesOf(folder);
}

/** Picks windows of lines, each as likely to lie anywhere in the folder's code. @param {string} folder */
function sampleOf(folder) {
  const lines = filesOf(folder).flatMap((file) =>
    Array.from(
      { length: Math.ceil(readFileSync(join(ROOT, file), 'utf8').split('\n').length / WINDOW_LINES) },
      (_, n) => ({
        file,
        from: n * WINDOW_LINES + 1,
      }),
    ),
  );
  const picked = [];
  const wanted = Number(folder.startsWith('server') ? values['server-windows'] : values.windows);
  for (let n = 0; n < wanted && lines.length > 0; n += 1)
    picked.push(...lines.splice(below(lines.length), 1));
  return picked.map(({ file, from }) => `${file}:${from}-${from + WINDOW_LINES - 1}`);
}

function report() {
  let isGood = true;
  const lines = [];
  for (const [folder, { killed, survived, uncovered, lines: more }] of [...scores].sort()) {
    const covered = killed + survived;
    const share = covered === 0 ? 1 : killed / covered;
    if (share < WANTED) isGood = false;
    lines.push(
      `${share < WANTED ? 'BELOW' : 'ok   '} ${folder}: ${killed} of ${covered} noticed (${Math.round(share * 100)} %), ${uncovered} without a test`,
    );
    lines.push(...more.map((line) => `        ${line}`));
  }
  const text = lines.join('\n');
  writeFileSync(join(VAR, 'reports/mutation.txt'), `${text}\n`);
  console.log(text);
  process.exitCode = isGood ? 0 : 1;
}

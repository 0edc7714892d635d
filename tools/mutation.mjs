// @ts-check
// `npm run mutation`: changes lines of code and checks whether tests fail. It uses a seeded sample, so that it takes minutes.
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
// Tests that wait for what changed code never does would be ended, and their process started again, which takes longer.
process.env.UNIFERUM_TEST_PATIENCE_MS = '10000';
// In a fresh clone it has only now been installed.
const { Stryker } = await import('@stryker-mutator/core');

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
for (const of of ['core', 'server']) {
  const part = folders.filter((one) => one.startsWith(of));
  // Read by vitest.mutation.config.ts.
  process.env.MUTATION_OF = of;
  process.env.MUTATION_FOLDERS = part.join(',');
  if (part.length === 0) continue;
  await mutate(part);
  // Reported after each part, so that the first results are not lost if the second part is interrupted.
  report();
}

/** @param {string[]} part */
async function mutate(part) {
  const reports = join(VAR, 'reports');
  mkdirSync(reports, { recursive: true });
  const stryker = new Stryker({
    testRunner: 'vitest',
    // The sandbox needs no types, and this compiler has no API for rewriting its configuration.
    tsconfigFile: 'none',
    vitest: { configFile: 'vitest.mutation.config.ts' },
    mutate: part.flatMap(values.all ? allOf : sampleOf),
    ignorePatterns: ['var', 'docs', 'e2e', 'bench', 'web/dist'],
    // Tests need not detect changed wording.
    mutator: { excludedMutations: ['StringLiteral', 'ObjectLiteral'] },
    coverageAnalysis: 'perTest',
    concurrency: Number(values.concurrency),
    ignoreStatic: true,
    reporters: [],
    tempDirName: join(VAR, 'mutation'),
    disableTypeChecks: true,
    timeoutMS: 15_000,
    allowConsoleColors: false,
    logLevel: 'warn',
  });
  for (const { status, fileName, location, replacement, mutatorName } of await stryker.runMutationTest()) {
    const folder = part.find((one) => fileName.includes(`${one}/`));
    if (folder === undefined) continue;
    const score = scores.get(folder) ?? { killed: 0, survived: 0, uncovered: 0, lines: [] };
    scores.set(folder, score);
    const place = `${fileName.slice(fileName.indexOf(folder))}:${location.start.line + 1}:${location.start.column + 1}`;
    const what = `${place} ${mutatorName}: ${(replacement ?? '').slice(0, 80).replace(/\s+/g, ' ')}`;
    if (status === 'Killed' || status === 'Timeout') score.killed += 1;
    else if (status === 'Survived') {
      score.survived += 1;
      score.lines.push(`survived   ${what}`);
    } else if (status === 'NoCoverage') {
      score.uncovered += 1;
      score.lines.push(`no test    ${what}`);
    }
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

// @ts-check
// `npm test`: prepares, then checks types, lint and imports, and runs unit, server and browser tests. The last line is the total.
import { spawn, spawnSync } from 'node:child_process';
import { once } from 'node:events';
import { closeSync, mkdirSync, openSync, readFileSync, rmSync } from 'node:fs';
import { join, relative } from 'node:path';
import { prepare, ROOT, VAR } from './prepare.mjs';

/** @typedef {{ name: string, passed: number, failed: number, failures?: string[] }} Outcome */

const BIN = join(ROOT, 'node_modules/.bin');
const REPORTS = join(VAR, 'reports');

/** @type {Outcome[]} */
const outcomes = [];

try {
  prepare({ forTests: true });
  mkdirSync(REPORTS, { recursive: true });
  outcomes.push(check('types', join(BIN, 'tsc'), ['-b']));
  outcomes.push(check('lint and format', join(BIN, 'biome'), ['ci', '--error-on-warnings', '.']));
  outcomes.push(check('import table', process.execPath, [join(ROOT, 'tools/house/check-imports.mjs')]));
  // Each waits for its own installations much of the time. The second has its output printed when both are done.
  const browserLog = join(REPORTS, 'browser.log');
  outcomes.push(...(await Promise.all([unitAndServerTests(), browserTests(browserLog)])));
  console.log(`\n── browser tests\n${readFileSync(browserLog, 'utf8')}`);
} catch (error) {
  console.error(error instanceof Error ? error.message : error);
  outcomes.push({ name: 'preparation', passed: 0, failed: 1 });
}

const sum = (/** @type {'passed' | 'failed'} */ what) =>
  outcomes.reduce((total, outcome) => total + outcome[what], 0);
console.log('');
for (const { name, passed, failed } of outcomes)
  console.log(`${failed > 0 ? 'FAILED' : 'ok    '}  ${name}: ${passed} passed, ${failed} failed`);
for (const failure of outcomes.flatMap(({ failures }) => failures ?? [])) console.log(failure);
console.log(`\n${sum('passed')} passed, ${sum('failed')} failed`);
process.exitCode = sum('failed') > 0 ? 1 : 0;

/** @param {string} name @param {string} command @param {string[]} args @returns {Outcome} */
function check(name, command, args) {
  console.log(`\n── ${name}`);
  const isGood = run(command, args);
  return { name, passed: isGood ? 1 : 0, failed: isGood ? 0 : 1 };
}

/** @returns {Promise<Outcome>} */
async function unitAndServerTests() {
  console.log('\n── unit and server tests');
  const report = join(REPORTS, 'vitest.json');
  rmSync(report, { force: true });
  const isGood = await runBeside(join(BIN, 'vitest'), [
    'run',
    '--reporter=default',
    '--reporter=json',
    `--outputFile.json=${report}`,
  ]);
  const { numPassedTests, numFailedTests, testResults } = readReport(report) ?? {
    numPassedTests: 0,
    numFailedTests: 0,
    testResults: [],
  };
  // A file that cannot be loaded fails without containing a failed test.
  return {
    name: 'unit and server tests',
    passed: numPassedTests,
    failed: isGood ? numFailedTests : Math.max(1, numFailedTests),
    failures: testResults.filter(({ status }) => status === 'failed').flatMap(describeFailures),
  };
}

/**
 * Describes each failed test with the beginning of its message, for the end of the log.
 * @param {{ name: string, message: string, assertionResults: { status: string, fullName: string, failureMessages: string[] }[] }} file
 */
function describeFailures({ name, message, assertionResults }) {
  const path = relative(ROOT, name);
  const failed = assertionResults.filter(({ status }) => status === 'failed');
  if (failed.length === 0) return [`\n✗ ${path}\n${beginningOf(message)}`];
  return failed.map(
    ({ fullName, failureMessages }) =>
      `\n✗ ${path} › ${fullName}\n${beginningOf(failureMessages.join('\n'))}`,
  );
}

/** @param {string} message */
function beginningOf(message) {
  return message.split('\n').slice(0, 12).join('\n');
}

/** @param {string} log the file that gets its output @returns {Promise<Outcome>} */
async function browserTests(log) {
  const report = join(REPORTS, 'playwright.json');
  rmSync(report, { force: true });
  const isGood = await runBeside(
    join(BIN, 'playwright'),
    ['test', '-c', 'e2e/playwright.config.ts', '--reporter=list,json'],
    { env: { PLAYWRIGHT_JSON_OUTPUT_NAME: report }, log },
  );
  const { expected, unexpected, skipped } = readReport(report)?.stats ?? {
    expected: 0,
    unexpected: 0,
    skipped: 0,
  };
  const failed = unexpected + skipped;
  return { name: 'browser tests', passed: expected, failed: isGood ? failed : Math.max(1, failed) };
}

/** @param {string} file */
function readReport(file) {
  try {
    return JSON.parse(readFileSync(file, 'utf8'));
  } catch {
    return null;
  }
}

/** @param {string} command @param {string[]} args */
function run(command, args) {
  const { status } = spawnSync(command, args, {
    cwd: ROOT,
    stdio: ['ignore', 'inherit', 'inherit'],
    env: plain(),
  });
  return status === 0;
}

/**
 * Runs a command while others run.
 * @param {string} command @param {string[]} args @param {{ env?: Record<string, string>, log?: string }} [options]
 */
async function runBeside(command, args, { env = {}, log } = {}) {
  const output = log === undefined ? 'inherit' : openSync(log, 'w');
  const child = spawn(command, args, { cwd: ROOT, stdio: ['ignore', output, output], env: plain(env) });
  if (typeof output === 'number') closeSync(output);
  const [status] = await once(child, 'exit');
  return status === 0;
}

function plain(/** @type {Record<string, string>} */ more = {}) {
  return { ...process.env, FORCE_COLOR: '0', ...more };
}

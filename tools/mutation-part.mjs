// @ts-check
// Mutates some files, and sends what became of each mutant to mutation.mjs, which started it.
import { Stryker } from '@stryker-mutator/core';

/**
 * @typedef {object} Mutant
 * @property {string} status
 * @property {string} fileName
 * @property {number} line counted from 1
 * @property {number} column counted from 1
 * @property {string} replacement
 * @property {string} mutatorName
 */

const [task = ''] = process.argv.slice(2);
const stryker = new Stryker({
  ...JSON.parse(task),
  testRunner: 'vitest',
  // The sandbox needs no types, and this compiler has no API for rewriting its configuration.
  tsconfigFile: 'none',
  vitest: { configFile: 'vitest.mutation.config.ts' },
  ignorePatterns: ['var', 'docs', 'e2e', 'bench', 'web/dist'],
  // Tests need not detect changed wording.
  mutator: { excludedMutations: ['StringLiteral', 'ObjectLiteral'] },
  coverageAnalysis: 'perTest',
  ignoreStatic: true,
  reporters: [],
  disableTypeChecks: true,
  timeoutMS: 15_000,
  dryRunTimeoutMinutes: 30,
  allowConsoleColors: false,
  logLevel: 'warn',
});
const results = await stryker.runMutationTest();
/** @type {Mutant[]} */
const mutants = results.map(({ status, fileName, location, replacement, mutatorName }) => ({
  ...{ status, fileName, mutatorName, replacement: replacement ?? '' },
  ...{ line: location.start.line + 1, column: location.start.column + 1 },
}));
process.send?.(mutants, () => process.disconnect());

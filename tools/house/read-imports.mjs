// @ts-check
// Reads which project files import each other.
import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { dirname, join, relative, sep } from 'node:path';

/**
 * @typedef {{ specifier: string, index: number, isType: boolean, isLazy: boolean }} Import
 * @typedef {{ file: string, text: string, isTest: boolean, imports: Import[] }} Source
 */

/** Reads the sources of a package. @param {string} folder @param {string} root @returns {Source[]} */
export function readSources(folder, root) {
  if (!existsSync(folder)) return [];
  return readdirSync(folder, { recursive: true, encoding: 'utf8' })
    .filter((file) => /\.tsx?$/.test(file))
    .map((name) => {
      const file = join(folder, name);
      const text = readFileSync(file, 'utf8');
      const isTest = /\.test\.tsx?$/.test(file) || file.includes(`${sep}testing${sep}`);
      return { file: relative(root, file), text, isTest, imports: findImports(text) };
    });
}

/** @param {string} text @returns {Import[]} */
export function findImports(text) {
  const pattern =
    /^(?:import|export)\s+(type\s)?[^;'"]*?from\s+['"]([^'"]+)['"]|^import\s+['"]([^'"]+)['"]|\bimport\(\s*['"]([^'"]+)['"]\s*\)/gm;
  return [...text.matchAll(pattern)].map((match) => ({
    specifier: match[2] ?? match[3] ?? match[4] ?? '',
    index: match.index,
    isType: match[1] !== undefined,
    isLazy: match[4] !== undefined,
  }));
}

/** The line at which something stands. @param {Source} source @param {number} index */
export function placeOf({ file, text }, index) {
  return `${file}:${text.slice(0, index).split('\n').length}`;
}

/**
 * Lists the project files that a file imports, by relative path. Dynamic imports are excluded, because they are not
 * needed when the file is loaded.
 *
 * @param {Source} source @param {ReadonlySet<string>} known
 * @returns {{ target: string, index: number }[]}
 */
export function targetsOf({ file, imports }, known) {
  return imports
    .filter(({ specifier, isLazy }) => specifier.startsWith('.') && !isLazy)
    .flatMap(({ specifier, index }) => {
      const path = join(dirname(file), specifier);
      const target = [path.replace(/\.js$/, '.ts'), path.replace(/\.js$/, '.tsx')].find((one) =>
        known.has(one),
      );
      return target === undefined ? [] : [{ target, index }];
    });
}

import { formatCount, type Reason } from '@uniferum/core/intake';
import { isWithin, pathChain } from '@uniferum/core/library';
import {
  type EffectiveRules,
  judgeFile,
  newRefusals,
  type RuledFolder,
  resolveRules,
} from '@uniferum/core/rules';
import { findFoldersByPaths, listFoldersWithin, type StoredFolder } from '../library/folder-queries.js';
import type { FolderGuard, FolderMove, Objection } from '../library/joints.js';
import { type PresentRow, readPresent } from '../library/present-queries.js';
import type { Executor, Transaction } from '../shared/database.js';
import { UniferumError } from '../shared/errors.js';
import { type CheckSubject, Checks, type RuleConfig, type RuleTools } from './checks.js';
import { factsOfRow } from './facts.js';
import { objectionsOf } from './guard.js';

/** The most files checked individually when a folder comes under a check; larger folders are moved by a bulk job. */
const MAX_ASKED = 500;
/** The most refused files named in an error. */
const NAMED = 20;

/** The effective rules of a folder before and after a move. */
interface RulesThere {
  folder: StoredFolder;
  path: string;
  now: EffectiveRules;
  next: EffectiveRules;
}

/** Checks all files of a moved folder against the rules at its new location. */
export function rulesFolderGuard(config: RuleConfig): FolderGuard<Checks> {
  return {
    name: 'rules',
    prepare: (db, move) => askAboutFolderMove({ db, config }, move),
    judge: (tx, move, within, checks = new Checks()) => judgeFolderMove(tx, within, move, checks),
  };
}

/** Calls the check of the new location for every file of a folder. */
async function askAboutFolderMove(tools: RuleTools, move: FolderMove): Promise<Checks> {
  const checks = new Checks();
  const within = await listFoldersWithin(tools.db, move.from);
  const due = (await rulesThere(tools.db, within, move)).flatMap(({ folder, path, now, next }) =>
    isNewCheck(now, next) && next.check !== null ? [{ folder, path, check: next.check }] : [],
  );
  // Before the first one is asked about.
  if (due.reduce((files, { folder }) => files + folder.items, 0) > MAX_ASKED)
    throw new UniferumError(
      'conflict',
      `${due[0]?.check.from} has a custom check for each file, and ${move.from} contains more than ${MAX_ASKED} files. Use a bulk edit instead, which runs the check in the background.`,
    );
  for (const { folder, path, check } of due) {
    const subjects: CheckSubject[] = [];
    for await (const row of readPresent(tools.db, folder.id)) subjects.push(subjectOf(row, path));
    await checks.ask(tools.config, check.value, subjects);
  }
  return checks;
}

/**
 * Lists the first files that would violate a rule. Violations that exist already do not count.
 *
 * @param within the folder and all its subfolders, locked
 */
async function judgeFolderMove(
  tx: Transaction,
  within: readonly StoredFolder[],
  move: FolderMove,
  checks: Checks,
): Promise<Objection[]> {
  const objections: Objection[] = [];
  let files = 0;
  for (const { folder, path, now, next } of await rulesThere(tx, within, move)) {
    if (isSame(now, next)) continue;
    const full = overfull(folder, path, next);
    if (full && !overfull(folder, folder.path, now))
      objections.push(...objectionsOf({ id: 0 }, move.to, [full]));
    for await (const row of readPresent(tx, folder.id)) {
      const found = refusalsOf(row, { folder, path, now, next }, checks);
      if (found.length === 0) continue;
      files += 1;
      if (files <= NAMED) objections.push(...objectionsOf(row, move.to, found));
    }
  }
  const last = objections.pop();
  if (!last) return [];
  const more = files > NAMED ? ` And ${formatCount(files - NAMED, 'more file')}.` : '';
  return [...objections, { ...last, reason: { ...last.reason, message: last.reason.message + more } }];
}

function refusalsOf(row: PresentRow, { path, now, next }: RulesThere, checks: Checks): Reason[] {
  const place = { path, items: -1 };
  const checked = isNewCheck(now, next) ? checks.answerFor(next, subjectOf(row, path)) : undefined;
  const facts = factsOfRow(row);
  return newRefusals(
    judgeFile(facts, now, place),
    judgeFile({ ...facts, ...(checked && { checked }) }, next, place),
  );
}

function overfull(folder: StoredFolder, path: string, { maxItems }: EffectiveRules): Reason | null {
  if (maxItems === null || folder.items <= maxItems.value) return null;
  return {
    code: 'too-many',
    limit: maxItems.value,
    actual: folder.items,
    folder: maxItems.from,
    message: `${path} would contain ${formatCount(folder.items, 'item')}; the limit is ${maxItems.value.toLocaleString('en-GB')}.`,
  };
}

/** Tells whether two effective rule sets are the same, regardless of the folders they come from. */
function isSame(now: EffectiveRules, next: EffectiveRules): boolean {
  const values = (rules: EffectiveRules) =>
    JSON.stringify(rules, (key, value) => (key === 'from' ? undefined : value));
  return values(now) === values(next);
}

function isNewCheck(now: EffectiveRules, next: EffectiveRules): boolean {
  return next.check !== null && next.check.value.url !== now.check?.value.url;
}

function subjectOf(row: PresentRow, folder: string): CheckSubject {
  return { row, name: row.name, folder };
}

async function rulesThere(
  db: Executor,
  within: readonly StoredFolder[],
  { from, to }: FolderMove,
): Promise<RulesThere[]> {
  const above = async (path: string) => findFoldersByPaths(db, pathChain(path).slice(0, -1));
  const [aboveNow, aboveThen] = [await above(from), await above(to)];
  const moved = (path: string) => to + path.slice(from.length);
  const chainOf = (path: string, outer: readonly RuledFolder[], inner: readonly RuledFolder[]) =>
    // A folder comes before those in it: both lists are in the order of paths.
    resolveRules([...outer, ...inner.filter((one) => isWithin(path, one.path))]);
  const innerThen = within.map(({ path, rules }) => ({ path: moved(path), rules }));
  return within.map((folder) => ({
    folder,
    path: moved(folder.path),
    now: chainOf(folder.path, aboveNow, within),
    next: chainOf(moved(folder.path), aboveThen, innerThen),
  }));
}

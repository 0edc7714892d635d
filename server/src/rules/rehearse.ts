import type { ReasonCode, Verdict } from '@uniferum/core/intake';
import { isWithin, pathChain } from '@uniferum/core/library';
import { type FolderRules, judgeFile, resolveRules } from '@uniferum/core/rules';
import { findFolder, findFoldersByPaths, listFoldersWithin } from '../library/folder-queries.js';
import { readPresent } from '../library/present-queries.js';
import type { Executor } from '../shared/database.js';
import { notFound } from '../shared/errors.js';
import { factsOfRow } from './facts.js';

/** An existing file that the new rules would refuse, and why. */
export interface OutsideFile {
  asset: string;
  name: string;
  folder: string;
  verdict: Verdict;
}

export interface RulesPlan {
  items: OutsideFile[];
  totals: {
    present: number;
    outside: number;
    outsideNow: number;
    byCode: Partial<Record<ReasonCode, number>>;
  };
}

const SHOWN = 200;

/**
 * Finds existing files that would violate changed rules, in the folder and its subfolders. The files stay where they
 * are: rules apply to new files only.
 */
export async function rehearseRules(db: Executor, folderId: string, rules: FolderRules): Promise<RulesPlan> {
  const folder = await findFolder(db, folderId);
  if (folder === null) throw notFound(`Folder ${folderId}`);
  const within = await listFoldersWithin(db, folder.path);
  const above = await findFoldersByPaths(db, pathChain(folder.path).slice(0, -1));
  // A folder comes before those in it: both lists are in the order of paths.
  const known = [...above, ...within];
  const items: OutsideFile[] = [];
  const totals: RulesPlan['totals'] = { present: 0, outside: 0, outsideNow: 0, byCode: {} };
  for (const { id, path, items: count } of within) {
    if (count === 0) continue;
    const chain = known.filter((one) => isWithin(path, one.path));
    const now = resolveRules(chain);
    const then = resolveRules(chain.map((one) => (one.id === folderId ? { ...one, rules } : one)));
    let position = 0;
    for await (const row of readPresent(db, id)) {
      const facts = factsOfRow(row);
      const place = { path, items: position++ };
      totals.present += 1;
      if (judgeFile(facts, now, place).outcome === 'refused') totals.outsideNow += 1;
      const verdict = judgeFile(facts, then, place);
      if (verdict.outcome !== 'refused') continue;
      totals.outside += 1;
      for (const code of new Set(verdict.reasons.map((reason) => reason.code)))
        totals.byCode[code] = (totals.byCode[code] ?? 0) + 1;
      if (items.length < SHOWN) items.push({ asset: String(row.id), name: row.name, folder: path, verdict });
    }
  }
  return { items, totals };
}

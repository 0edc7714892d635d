import type { Reason, Verdict } from '@uniferum/core/intake';
import type { AssetTexts } from '@uniferum/core/library';
import { type FileFacts, judgeFile, newRefusals, refusalsAbout } from '@uniferum/core/rules';
import { type AssetRow, findTwin, textsOf } from '../library/asset-queries.js';
import { lockBlob } from '../library/blob-queries.js';
import type { AssetChange, AssetGuard, Destination, NewContent, Objection } from '../library/joints.js';
import type { Transaction } from '../shared/database.js';
import { askAbout, type CheckSubject, Checks, type RuleConfig } from './checks.js';
import { factsOfRow, filledTexts } from './facts.js';
import { effectiveRules } from './service.js';

/** Capacity without limits, for changes that add nothing to a folder. */
const NO_ITEMS = -1;

/** Checks every change to an asset against the rules of its current or new folder. */
export function rulesGuard(config: RuleConfig): AssetGuard<Checks> {
  return {
    name: 'rules',
    prepare: (db, changes) => askAbout({ db, config }, changes.flatMap(subjectOf)),
    async judge(tx, changes, checks = new Checks()) {
      const objections: Objection[] = [];
      for (const change of changes) objections.push(...(await judgeChange(tx, config, change, checks)));
      return objections;
    },
  };
}

/** What a folder's check is asked about, for changes that bring a file or new bytes into it. */
function subjectOf(change: AssetChange): CheckSubject[] {
  switch (change.kind) {
    case 'move':
    case 'restore':
      return [{ row: change.row, name: change.name, folder: change.to.path }];
    case 'replace':
      if (change.content.unreadable !== undefined) return [];
      return [contentSubject(change.row, change.content)];
    default:
      return [];
  }
}

function contentSubject(row: AssetRow, content: NewContent): CheckSubject {
  const { sha256, bytes, mime, width = null, height = null } = content;
  return { row: { ...row, sha256, bytes, mime, width, height }, name: row.name, folder: row.folder_path };
}

async function judgeChange(
  tx: Transaction,
  config: RuleConfig,
  change: AssetChange,
  checks: Checks,
): Promise<Objection[]> {
  const { row } = change;
  switch (change.kind) {
    case 'edit':
      return objectionsOf(row, row.name, await judgeTexts(tx, row, change.texts));
    case 'rename':
      return objectionsOf(row, change.name, await judgeName(tx, row, change.name));
    case 'move':
    case 'restore':
      return objectionsOf(row, change.name, await judgeArrival(tx, row, change.to, change.name, checks));
    case 'replace': {
      const { outcome, reasons } = await judgeContent(tx, config, row, change.content, checks);
      const isBlocking = outcome === 'refused';
      return objectionsOf(row, row.name, reasons).map((one) => ({ ...one, isBlocking }));
    }
    case 'bin':
    case 'purge':
      return [];
  }
}

/** Turns the reasons of a refusal into objections. */
export function objectionsOf(
  row: Pick<AssetRow, 'id'>,
  name: string,
  reasons: readonly Reason[],
): Objection[] {
  return reasons.map((reason) => ({
    asset: String(row.id),
    name,
    reason,
    problem: 'refused',
    isBlocking: true,
  }));
}

/** Required texts that an edit would empty. */
function judgeTexts(tx: Transaction, row: AssetRow, texts: AssetTexts): Promise<Reason[]> {
  return changedRefusals(tx, row, { ...factsOfRow(row), texts: filledTexts(texts) }, 'texts');
}

/** A new name whose type the folder refuses. */
function judgeName(tx: Transaction, row: AssetRow, name: string): Promise<Reason[]> {
  return changedRefusals(tx, row, { ...factsOfRow(row), name }, 'name');
}

async function changedRefusals(
  tx: Transaction,
  row: AssetRow,
  facts: FileFacts,
  aspect: 'texts' | 'name',
): Promise<Reason[]> {
  const rules = await effectiveRules(tx, row.folder_path);
  const place = { path: row.folder_path, items: NO_ITEMS };
  const before = judgeFile(factsOfRow(row), rules, place);
  const after = judgeFile(facts, rules, place);
  return newRefusals(before, { ...after, reasons: refusalsAbout(after, aspect) });
}

/** A file that enters a folder, from another one or from the bin: all rules apply, as for an upload. */
async function judgeArrival(
  tx: Transaction,
  row: AssetRow,
  folder: Destination,
  name: string,
  checks: Checks,
): Promise<Reason[]> {
  const rules = await effectiveRules(tx, folder.path);
  const checked = checks.answerFor(rules, { row, name, folder: folder.path });
  const facts: FileFacts = {
    ...factsOfRow(row),
    name,
    ...(rules.duplicates?.value === 'refuse' && { duplicateOf: await twinOf(tx, row.sha256, row.id) }),
    ...(checked && { checked }),
  };
  const verdict = judgeFile(facts, rules, folder);
  return verdict.outcome === 'refused' ? verdict.reasons : [];
}

/**
 * New bytes for an existing file: every rule about content applies. The number of files and the texts stay the same,
 * so a text that is missing was missing before. Warnings are returned as well as refusals.
 */
async function judgeContent(
  tx: Transaction,
  config: RuleConfig,
  row: AssetRow,
  { sha256, ...facts }: NewContent,
  checks: Checks,
): Promise<Pick<Verdict, 'outcome' | 'reasons'>> {
  const rules = { ...(await effectiveRules(tx, row.folder_path)), requireTexts: [] };
  const checked =
    facts.unreadable === undefined
      ? checks.answerFor(rules, contentSubject(row, { sha256, ...facts }))
      : undefined;
  const verdict = judgeFile(
    {
      ...facts,
      name: row.name,
      texts: filledTexts(textsOf(row)),
      duplicateOf: await twinOf(tx, sha256, row.id),
      ...(checked && { checked }),
    },
    rules,
    { path: row.folder_path, items: NO_ITEMS },
    { maxBytes: config.maxUploadBytes, maxPixels: config.maxPixels },
  );
  return verdict.outcome === 'refused'
    ? { outcome: 'refused', reasons: refusalsAbout(verdict, 'content') }
    : verdict;
}

/** The URL of another live asset with the same bytes. The blob is locked, so no duplicate can arrive at the same moment. */
async function twinOf(tx: Transaction, sha256: string, self: number): Promise<string | null> {
  await lockBlob(tx, sha256);
  return findTwin(tx, sha256, self);
}

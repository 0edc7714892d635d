import { type AddressRules, invertEdits } from '@uniferum/core/pages';
import type { PlannedRewrite } from '../inspection/work.js';
import type { ItemContext } from '../runs/handler.js';
import { beginGroupedRunIn } from '../runs/ledger.js';
import { defineRun } from '../runs/run-kind.js';
import { type Database, type Executor, inTransaction, type Transaction } from '../shared/database.js';
import { UniferumError } from '../shared/errors.js';
import { groupBy, inBoundedGroups } from '../shared/group.js';
import { type Change, changeDocuments } from './change-documents.js';
import { listDocuments } from './document-queries.js';
import { findEdits, findRewrite, insertEdits, insertRewrite, listUndoable } from './edit-queries.js';
import { requireSource } from './index-source.js';
import { openSource } from './open-source.js';
import { type IndexTools, SourceFault } from './opened-source.js';
import { type PlannedDocument, planDocuments } from './plan-documents.js';
import { isWritable, type PageSource } from './source.js';

interface RewriteInput {
  source: string;
  paths: string[];
}
interface UndoInput extends RewriteInput {
  run: string;
}

const DOCUMENTS_PER_ITEM = 200;
/** They are recorded in one transaction for each item. */
const REFERENCES_PER_ITEM = 2000;
const DOCUMENTS_AT_A_TIME = 200;
const SHOWN_DOCUMENTS = 200;

export const rewriteRun = defineRun<RewriteInput>({
  kind: 'page-rewrite',
  label: 'Rewrite addresses',
  undo: beginRewriteUndo,
});
export const rewriteUndoRun = defineRun<UndoInput>({
  kind: 'page-rewrite-undo',
  label: 'Undo rewritten addresses',
});

/** One document that a rewrite would change. */
export interface RewriteItem {
  source: string;
  document: string;
  edits: number;
  diff: PlannedRewrite['shown'];
}

export interface RewritePlan {
  items: RewriteItem[];
  totals: { documents: number; edits: number; unreadable: number };
}

/** @throws UniferumError `conflict` when a source may not be written */
async function requireWritable(db: Executor, id: string): Promise<PageSource> {
  const source = await requireSource(db, id);
  if (isWritable(source)) return source;
  throw new UniferumError(
    'conflict',
    source.kind === 'site'
      ? `The source "${source.name}" is read over the network and can't be written. Rewrite the folder or database that it is made from.`
      : `The source "${source.name}" is read-only. Set "writable" in its settings to allow rewriting.`,
  );
}

/** Finds every document that a rewrite would change, with its first changes. Nothing is written. */
export async function rehearseRewrite(
  tools: IndexTools,
  sources: readonly string[],
  rules: AddressRules,
): Promise<RewritePlan> {
  const plan: RewritePlan = { items: [], totals: { documents: 0, edits: 0, unreadable: 0 } };
  for (const source of sources)
    for await (const { path, planned } of planSource(tools, source, rules))
      addToPlan(plan, { source, document: path }, planned);
  return plan;
}

function addToPlan(
  { items, totals }: RewritePlan,
  place: Pick<RewriteItem, 'source' | 'document'>,
  planned: PlannedRewrite | { fault: string },
): void {
  if ('fault' in planned) totals.unreadable += 1;
  else if (planned.edits.length > 0) {
    totals.documents += 1;
    totals.edits += planned.edits.length;
    if (items.length < SHOWN_DOCUMENTS)
      items.push({ ...place, edits: planned.edits.length, diff: planned.shown });
  }
}

async function* planSource(tools: IndexTools, id: string, rules: AddressRules) {
  const source = await requireWritable(tools.db, id);
  const opened = await openSource(tools, source).catch((error) => {
    if (error instanceof SourceFault) throw new UniferumError('conflict', error.message);
    throw error;
  });
  try {
    for await (const some of listDocuments(tools.db, id))
      for (let at = 0; at < some.length; at += DOCUMENTS_AT_A_TIME) {
        const paths = some.slice(at, at + DOCUMENTS_AT_A_TIME).map(({ path }) => path);
        for await (const plans of planDocuments(
          tools,
          { source: id, opened, paths },
          { rules, isShown: true, run: null },
        ))
          yield* plans;
      }
  } finally {
    await opened.close();
  }
}

interface Subject {
  source: string;
  path: string;
  references: number;
}

async function listSubjects(db: Executor, sources: readonly string[]): Promise<Subject[]> {
  const subjects: Subject[] = [];
  for (const id of sources) {
    await requireWritable(db, id);
    for await (const some of listDocuments(db, id))
      subjects.push(
        ...some.map(({ path, address_count }) => ({ source: id, path, references: address_count })),
      );
  }
  return subjects;
}

/** Begins rewriting every known document of some sources. @returns the run's id */
export async function beginRewrite(
  db: Database,
  sources: readonly string[],
  { rules, by }: { rules: AddressRules; by: string },
): Promise<string> {
  const subjects = await listSubjects(db, sources);
  return inTransaction(db, (tx) => beginRewriteOf(tx, subjects, { rules, by }));
}

/** The same, in the current transaction. */
export async function beginRewriteIn(
  tx: Transaction,
  sources: readonly string[],
  { rules, by }: { rules: AddressRules; by: string },
): Promise<string> {
  return beginRewriteOf(tx, await listSubjects(tx, sources), { rules, by });
}

async function beginRewriteOf(
  tx: Transaction,
  subjects: readonly Subject[],
  { rules, by }: { rules: AddressRules; by: string },
): Promise<string> {
  const run = await beginGroupedRunIn(
    tx,
    rewriteRun,
    { title: `Rewriting addresses in ${subjects.length.toLocaleString('en-GB')} documents`, by },
    { groups: bySource(subjects), inputOf: ({ source, paths }): RewriteInput => ({ source, paths }) },
  );
  await insertRewrite(tx, run, rules);
  return run;
}

/** Documents of one source each, so many at a time, with so many references. */
export function bySource(
  subjects: readonly Subject[],
): { source: string; paths: string[]; weight: number }[] {
  const limits = {
    ...{ count: DOCUMENTS_PER_ITEM, load: REFERENCES_PER_ITEM },
    loadOf: ({ references }: Subject) => references,
  };
  return [...groupBy(subjects, ({ source }) => source)].flatMap(([source, own]) =>
    inBoundedGroups(own, limits).map((some) => ({
      ...{ source, paths: some.map(({ path }) => path), weight: some.length },
    })),
  );
}

async function beginRewriteUndo(
  db: Database,
  { id, title }: { id: string; title: string },
  by: string,
): Promise<string> {
  const written = await listUndoable(db, id);
  if (written.length === 0) throw new UniferumError('conflict', `"${title}" has nothing left to undo.`);
  return inTransaction(db, (tx) =>
    beginGroupedRunIn(
      tx,
      rewriteUndoRun,
      { title: `Undo: ${title}`, by },
      { groups: bySource(written), inputOf: ({ source, paths }): UndoInput => ({ run: id, source, paths }) },
    ),
  );
}

/** Rewrites documents. The edits are stored before they are made, so that a killed worker loses none of them. */
export function rewriteHandlers(tools: IndexTools) {
  return [
    rewriteRun.bind({
      async work({ source, paths }, { runId }: ItemContext) {
        const rules = await findRewrite(tools.db, runId);
        if (rules === null)
          return {
            outcome: 'failed',
            error: 'The addresses that this run replaces are no longer stored. Start it again.',
          };
        return changeDocuments(tools, { source, paths, runId, state: 'written' }, async function* (opened) {
          const known = await findEdits(tools.db, { runId, sourceId: source, paths });
          if (known.length > 0) yield known;
          const left = paths.filter((path) => !known.some((one) => one.path === path));
          for await (const plans of planDocuments(
            tools,
            { source, opened, paths: left },
            { rules, isShown: false, run: runId },
          )) {
            const changes = plans.flatMap(toChange);
            await inTransaction(tools.db, (tx) => insertEdits(tx, { runId, sourceId: source }, changes));
            yield changes;
          }
        });
      },
    }),
    rewriteUndoRun.bind({
      async work({ run, source, paths }) {
        return changeDocuments(tools, { source, paths, runId: run, state: 'undone' }, async function* () {
          const written = await findEdits(tools.db, { runId: run, sourceId: source, paths });
          yield written.map(({ path, edits, before, after }) => ({
            ...{ path, edits: invertEdits(edits), before: after, after: before },
          }));
        });
      },
    }),
  ];
}

function toChange({ path, planned, document: { content } }: PlannedDocument): Change[] {
  if ('fault' in planned || planned.edits.length === 0) return [];
  const { edits, before, after, read } = planned;
  return [{ path, edits, before, after, read, ...('bytes' in content && { bytes: content.bytes }) }];
}

import type { Edit } from '@uniferum/core/pages';
import type { ReadDocument } from '../inspection/work.js';
import { StartOver, type Transaction } from '../shared/database.js';
import type { StoredDocument } from './document-queries.js';
import { type StoredEdits, updateEditState } from './edit-queries.js';
import { followIndexed } from './follow-indexed.js';
import { readOpened, toStored } from './index-source.js';
import { openSource } from './open-source.js';
import {
  type DocumentChange,
  type IndexTools,
  type OpenedSource,
  SourceFault,
  type WriteOutcome,
} from './opened-source.js';
import { putDocuments } from './put-document-queries.js';
import { ReferenceResolver } from './resolve-references.js';
import type { PageSource } from './source.js';
import { findSource } from './source-queries.js';

/** A change of a document, and what is found in it afterwards where that is known. */
export type Change = DocumentChange & { edits: Edit[]; read?: ReadDocument | null };

interface Changed {
  path: string;
  outcome: WriteOutcome;
}

/** Documents of a source, the run that changes them, and what they are afterwards. */
interface Batch {
  source: string;
  paths: readonly string[];
  runId: string;
  state: StoredEdits['state'];
}

/** Makes changes to documents of a source, reads what was written again, and records both. */
export async function changeDocuments(
  tools: IndexTools,
  { source: id, paths, runId, state }: Batch,
  planChanges: (opened: OpenedSource) => AsyncGenerator<Change[]>,
) {
  const source = await findSource(tools.db, id);
  if (source === null) return { outcome: 'skipped' as const, note: 'the source was deleted' };
  let made: { outcomes: Changed[]; read: StoredDocument[] };
  try {
    made = await makeChanges(tools, source, planChanges);
  } catch (error) {
    if (error instanceof SourceFault) return { outcome: 'failed' as const, error: error.message };
    throw error;
  }
  const written = made.outcomes.filter(isWritten).map(({ path }) => path);
  const problems = made.outcomes.flatMap(({ path, outcome }) => problemOf(path, outcome));
  return {
    outcome: 'done' as const,
    async record(tx: Transaction) {
      const isThere = (await findSource(tx, id)) !== null;
      if (isThere) {
        await putDocuments(tx, id, made.read, { isRewritten: true });
        // Their files may have been stored elsewhere, or nowhere, since this began.
        await followIndexed(tx, made.read);
      }
      await updateEditState(tx, { runId, sourceId: id, paths: written }, state);
      // Last, because other items of the source wait for this row. Begun again, it finds the source deleted.
      if (isThere && (await findSource(tx, id, { lock: true })) === null) throw new StartOver();
      return {
        done: written.length,
        failed: problems.length,
        skipped: paths.length - written.length - problems.length,
        ...(problems.length > 0 && { note: problems.slice(0, 5).join(' ') }),
      };
    },
  };
}

async function makeChanges(
  tools: IndexTools,
  source: PageSource,
  planChanges: (opened: OpenedSource) => AsyncGenerator<Change[]>,
): Promise<{ outcomes: Changed[]; read: StoredDocument[] }> {
  const opened = await openSource(tools, source);
  const resolver = new ReferenceResolver(tools.db, tools.config);
  const outcomes: Changed[] = [];
  const read: StoredDocument[] = [];
  try {
    for await (const changes of planChanges(opened)) {
      const results = await opened.write(changes);
      const made = changes.map(({ path }, n) => ({ path, outcome: results[n] as WriteOutcome }));
      outcomes.push(...made);
      const written = changes.filter((_, n) => results[n]?.kind === 'written');
      read.push(...(await readWritten(tools, opened, written, resolver)));
    }
    return { outcomes, read };
  } finally {
    await opened.close();
  }
}

/** What is in documents that were written: as it was planned where they still are so, or read again. */
async function readWritten(
  tools: IndexTools,
  opened: OpenedSource,
  written: readonly Change[],
  resolver: ReferenceResolver,
): Promise<StoredDocument[]> {
  const planned = new Map(written.flatMap(({ path, read }) => (read ? [[path, read]] : [])));
  const sure = (await opened.confirm?.(written.filter(({ path }) => planned.has(path)))) ?? [];
  const stored = await toStored(
    sure.map((document) => ({ document, result: planned.get(document.path) as ReadDocument })),
    resolver,
  );
  const isSure = new Set(sure.map(({ path }) => path));
  const others = written.map(({ path }) => path).filter((path) => !isSure.has(path));
  return [...stored, ...(await readOpened(tools, opened, others, resolver))];
}

function isWritten({ outcome }: Changed): boolean {
  return outcome.kind === 'written';
}

function problemOf(path: string, outcome: WriteOutcome): string[] {
  if (outcome.kind === 'changed') return [`${path} was changed by someone else and was left unchanged.`];
  if (outcome.kind === 'gone') return [`${path} no longer exists.`];
  return outcome.kind === 'failed' ? [outcome.message] : [];
}

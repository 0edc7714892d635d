import { recordEvent } from '../events/outbox.js';
import type { ReadDocument } from '../inspection/work.js';
import { beginGroupedRunIn } from '../runs/ledger.js';
import { defineRun } from '../runs/run-kind.js';
import { type Database, type Executor, inTransaction, StartOver } from '../shared/database.js';
import { notFound, UniferumError } from '../shared/errors.js';
import { inBoundedGroups } from '../shared/group.js';
import { deleteChecks } from './crawl-queries.js';
import { deleteDocuments, listDocuments, type StoredDocument } from './document-queries.js';
import { sourceIndexed } from './events.js';
import { followIndexed } from './follow-indexed.js';
import { openSource } from './open-source.js';
import { type IndexTools, type OpenedSource, type PresentDocument, SourceFault } from './opened-source.js';
import { putDocuments } from './put-document-queries.js';
import { ReferenceResolver } from './resolve-references.js';
import { isWritable, type ListedDocument, type PageSource } from './source.js';
import { findSource, updateIndexedAt } from './source-queries.js';

/** Documents to read, and ids of those that are gone. */
export interface IndexInput {
  source: string;
  documents: ListedDocument[];
  gone: number[];
}

export const indexRun = defineRun<IndexInput>({ kind: 'page-index', label: 'Index pages' });

const DOCUMENTS_PER_ITEM = 100;
/** Larger documents have more references, which are recorded in one transaction for each item. */
const BYTES_PER_ITEM = 3_000_000;

/** What a source has that is not known yet. */
async function listChanges(
  db: Database,
  sourceId: string,
  listed: readonly ListedDocument[],
): Promise<SourceChange[]> {
  const unseen = new Map(listed.map((document) => [document.path, document]));
  const gone: { gone: number }[] = [];
  for await (const known of listDocuments(db, sourceId))
    for (const { id, path, stamp } of known) {
      const document = unseen.get(path);
      if (document === undefined) gone.push({ gone: id });
      else if (document.stamp === stamp) unseen.delete(path);
    }
  return [...unseen.values(), ...gone];
}

/**
 * Begins a run that reads what has changed in a source.
 *
 * @returns its id
 * @throws UniferumError `conflict` when the source can't be read
 */
export async function beginIndex(tools: IndexTools, source: PageSource, by: string): Promise<string> {
  const changes = await findChanges(tools, source).catch((error) => {
    if (!(error instanceof SourceFault)) throw error;
    throw new UniferumError('conflict', `The source "${source.name}" can't be read: ${error.message}`);
  });
  return beginIndexOf(tools.db, source, { changes, by });
}

/** A document to read, or the id of one that is gone. */
export type SourceChange = ListedDocument | { gone: number };

/** Begins a run over changes that were found. @returns its id */
export function beginIndexOf(
  db: Database,
  source: PageSource,
  { changes, by }: { changes: readonly SourceChange[]; by: string },
): Promise<string> {
  return inTransaction(db, (tx) =>
    beginGroupedRunIn(
      tx,
      indexRun,
      { title: `Indexing ${source.name}`, by },
      {
        groups: groupChanges(changes),
        inputOf: ({ some }): IndexInput => ({
          source: source.id,
          documents: some.flatMap((one) => ('gone' in one ? [] : [one])),
          gone: some.flatMap((one) => ('gone' in one ? [one.gone] : [])),
        }),
      },
    ),
  );
}

/** Divides changes into items, by number and by size. */
export function groupChanges(changes: readonly SourceChange[]): { some: SourceChange[]; weight: number }[] {
  const limits = { count: DOCUMENTS_PER_ITEM, load: BYTES_PER_ITEM, loadOf: sizeOf };
  return inBoundedGroups(changes, limits).map((some) => ({ some, weight: some.length }));
}

/** Stamps begin with the size, where it is known before a document is read. */
function sizeOf(change: SourceChange): number {
  return 'gone' in change ? 0 : Number(/^\d+(?=-)/.exec(change.stamp)?.[0] ?? 0);
}

/** Lists a source, and compares it with what is known. @throws SourceFault */
export async function findChanges(tools: IndexTools, source: PageSource): Promise<SourceChange[]> {
  const opened = await openSource(tools, source);
  try {
    const listed = await opened.list();
    const changes = await listChanges(tools.db, source.id, listed);
    // More likely its disk isn't mounted than that everything was deleted: nothing that is known is forgotten.
    if (listed.length === 0 && changes.length > 0)
      throw new SourceFault(
        `${opened.place} contains no documents, but ${changes.length.toLocaleString('en-GB')} were indexed before. Check that everything is there, or mounted. If its documents are gone for good, delete the source.`,
      );
    return changes;
  } finally {
    await opened.close();
  }
}

/** Reads documents in a process of their own, and writes what they refer to in the transaction that ends the item. */
export function indexHandler(tools: IndexTools) {
  return indexRun.bind({
    async work({ source: id, documents, gone }) {
      const source = await findSource(tools.db, id);
      if (source === null) return { outcome: 'skipped', note: 'the source was deleted' };
      let read: StoredDocument[];
      try {
        read = await readDocuments(
          tools,
          source,
          documents.map(({ path }) => path),
        );
      } catch (error) {
        if (error instanceof SourceFault) return { outcome: 'failed', error: error.message };
        throw error;
      }
      return {
        outcome: 'done',
        async record(tx) {
          if ((await findSource(tx, id)) === null)
            return { done: 0, skipped: documents.length + gone.length };
          await deleteDocuments(tx, gone);
          await putDocuments(tx, id, read);
          if (isWritable(source)) await followIndexed(tx, read);
          // Last, because other items of the source wait for this row. Begun again, it finds the source deleted.
          if (!(await updateIndexedAt(tx, id))) throw new StartOver();
          await recordEvent(tx, { event: sourceIndexed, by: source.name, data: { id, name: source.name } });
          return { done: documents.length + gone.length };
        },
      };
    },
  });
}

/**
 * Reads documents as they are now, and finds out where their references lead. Those that are gone are left out; the next
 * run notices.
 *
 * @throws SourceFault
 */
async function readDocuments(
  tools: IndexTools,
  source: PageSource,
  paths: readonly string[],
): Promise<StoredDocument[]> {
  if (paths.length === 0) return [];
  const opened = await openSource(tools, source);
  try {
    return await readOpened(tools, opened, paths, new ReferenceResolver(tools.db, tools.config));
  } finally {
    await opened.close();
  }
}

/** The same, of a source that is open. */
export async function readOpened(
  tools: Pick<IndexTools, 'inspector'>,
  opened: OpenedSource,
  paths: readonly string[],
  resolver: ReferenceResolver,
): Promise<StoredDocument[]> {
  const stored: StoredDocument[] = [];
  if (paths.length === 0) return stored;
  for await (const present of opened.present(paths))
    stored.push(...(await readPresent(tools, present, resolver)));
  return stored;
}

/** Finds the references of documents, and where they lead. */
export async function readPresent(
  { inspector }: Pick<IndexTools, 'inspector'>,
  present: readonly PresentDocument[],
  resolver: ReferenceResolver,
): Promise<StoredDocument[]> {
  const results = await inspector.readDocuments(present.filter(({ fault }) => fault === null));
  let at = 0;
  return toStored(
    present.map((document) => ({
      document,
      result:
        document.fault === null
          ? (results[at++] ?? { fault: 'it could not be read' })
          : { fault: document.fault },
    })),
    resolver,
  );
}

/** A document, and what was found in it. */
interface FoundInDocument {
  document: Pick<PresentDocument, 'path' | 'stamp' | 'url' | 'title' | 'more'>;
  result: ReadDocument | { fault: string };
}

/** Finds out where the references of documents lead. */
export async function toStored(
  found: readonly FoundInDocument[],
  resolver: ReferenceResolver,
): Promise<StoredDocument[]> {
  await resolver.prefetch(
    found.flatMap(({ document: { url }, result }) =>
      'fault' in result ? [] : [{ references: result.references, place: { url, base: result.base } }],
    ),
  );
  const stored: StoredDocument[] = [];
  for (const { document, result } of found) {
    const { path, stamp, url, title, more = [] } = document;
    const place = { path, stamp, url, title };
    if ('fault' in result) {
      const fault = result.fault.slice(0, MAX_FAULT);
      stored.push({ ...place, base: null, encoding: null, references: [], fault });
      continue;
    }
    const { encoding, base, references } = result;
    const resolved = [];
    for (const one of references) resolved.push(await resolver.resolve(one, { url, base }));
    stored.push({
      ...{ ...place, base, encoding, fault: null, references: [...resolved, ...more] },
      title: title ?? result.title,
    });
  }
  return stored;
}

const MAX_FAULT = 300;

/** @throws UniferumError `not-found` */
export async function requireSource(db: Executor, id: string): Promise<PageSource> {
  const source = await findSource(db, id);
  if (source === null) throw notFound(`Source ${id}`);
  return source;
}

/** Deletes a source with everything known about its documents, in batches. */
export async function removeDocuments(db: Database, sourceId: string): Promise<void> {
  for await (const some of listDocuments(db, sourceId))
    for (let at = 0; at < some.length; at += 50)
      await inTransaction(db, (tx) =>
        deleteDocuments(
          tx,
          some.slice(at, at + 50).map(({ id }) => id),
        ),
      );
  while ((await inTransaction(db, (tx) => deleteChecks(tx, sourceId))) > 0);
}

import { formatOfFile } from '@uniferum/core/pages';
import { recordEvent } from '../events/outbox.js';
import type { Inspector } from '../inspection/inspector.js';
import { beginGroupedRun } from '../runs/ledger.js';
import { defineRun } from '../runs/run-kind.js';
import type { Config } from '../shared/config.js';
import { type Database, inTransaction } from '../shared/database.js';
import { notFound, UniferumError } from '../shared/errors.js';
import { deleteDocuments, listDocuments, putDocuments, type StoredDocument } from './document-queries.js';
import { sourceIndexed } from './events.js';
import {
  documentUrl,
  findDocument,
  isTooLarge,
  listFolder,
  requireFolder,
  stampOf,
} from './folder-source.js';
import { ReferenceResolver } from './resolve-references.js';
import type { ListedDocument, PageSource } from './source.js';
import { findSource, updateIndexedAt } from './source-queries.js';

/** What indexing requires. */
export interface IndexTools {
  db: Database;
  config: Pick<Config, 'sourceDirs' | 'publicUrl' | 'mediaUrl'>;
  inspector: Inspector;
}

/** Documents to read, and ids of those that are gone. */
export interface IndexInput {
  source: string;
  documents: ListedDocument[];
  gone: number[];
}

export const indexRun = defineRun<IndexInput>({ kind: 'page-index', label: 'Index pages' });

const DOCUMENTS_PER_ITEM = 40;

/** What a source has that is not known yet. */
async function listChanges(
  db: Database,
  sourceId: string,
  listed: readonly ListedDocument[],
): Promise<(ListedDocument | { gone: number })[]> {
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

/** Begins a run that reads what has changed in a source. @returns its id */
export async function beginIndex(
  { db, config }: Pick<IndexTools, 'db' | 'config'>,
  source: PageSource,
  by: string,
): Promise<string> {
  const root = await requireFolder(config, source.settings).catch((error: Error) => {
    throw new UniferumError('conflict', `The source "${source.name}" can't be read: ${error.message}`);
  });
  const listed = await listFolder(root).catch((error: NodeJS.ErrnoException) => {
    throw new UniferumError(
      'conflict',
      `The source "${source.name}" can't be listed (${error.code}). Check that it is a folder and that the server's user can read all of it.`,
    );
  });
  const changes = await listChanges(db, source.id, listed);
  // More likely its disk isn't mounted than that everything was deleted: nothing that is known is forgotten.
  if (listed.length === 0 && changes.length > 0)
    throw new UniferumError(
      'conflict',
      `${source.settings.path} contains no documents, but ${changes.length.toLocaleString('en-GB')} were indexed before. Check that it is mounted. If its documents are gone for good, delete the source.`,
    );
  return beginGroupedRun(
    db,
    indexRun,
    { title: `Indexing ${source.name}`, by },
    {
      subjects: changes,
      perItem: DOCUMENTS_PER_ITEM,
      inputOf: (some): IndexInput => ({
        source: source.id,
        documents: some.flatMap((one) => ('gone' in one ? [] : [one])),
        gone: some.flatMap((one) => ('gone' in one ? [one.gone] : [])),
      }),
    },
  );
}

/** Reads documents in a process of their own, and writes what they refer to in the transaction that ends the item. */
export function indexHandler(tools: IndexTools) {
  return indexRun.bind({
    async work({ source: id, documents, gone }) {
      const source = await findSource(tools.db, id);
      if (source === null) return { outcome: 'skipped', note: 'the source was deleted' };
      const root = await requireFolder(tools.config, source.settings).catch((error: Error) => error);
      if (root instanceof Error) return { outcome: 'failed', error: root.message };
      const read = await readDocuments(tools, { ...source, root }, documents);
      return {
        outcome: 'done',
        async record(tx) {
          // Deleting the source waits for this, and this for that.
          const held = await findSource(tx, id, { lock: true });
          if (held === null) return { done: 0, skipped: documents.length + gone.length };
          await deleteDocuments(tx, gone);
          await putDocuments(tx, id, read);
          await updateIndexedAt(tx, id);
          await recordEvent(tx, { event: sourceIndexed, by: source.name, data: { id, name: source.name } });
          return { done: documents.length + gone.length };
        },
      };
    },
  });
}

/** Reads documents as they are now, and finds out where their references lead. */
export async function readDocuments(
  { db, config, inspector }: IndexTools,
  source: PageSource & { root: string },
  documents: readonly ListedDocument[],
): Promise<StoredDocument[]> {
  const { root } = source;
  const present = (await Promise.all(documents.map((document) => presentDocument(root, document)))).filter(
    (one) => one !== null,
  );
  const readable = present.filter(({ fault }) => fault === null);
  const results = await inspector.readDocuments(
    readable.map(({ full, path }) => ({ path: full, format: formatOfFile(path) ?? 'html' })),
  );
  const found = new Map(readable.map(({ path }, index) => [path, results[index]]));
  const resolver = new ReferenceResolver(db, config);
  const stored: StoredDocument[] = [];
  for (const { path, stamp, fault } of present) {
    const url = documentUrl(source.settings, path);
    const result = found.get(path) ?? { fault: fault ?? 'it could not be read' };
    if ('fault' in result) {
      stored.push({
        ...{ path, stamp, url, title: null, encoding: null, references: [] },
        fault: result.fault.slice(0, 300),
      });
      continue;
    }
    const { title, encoding, base, references } = result;
    const resolved = [];
    for (const one of references) resolved.push(await resolver.resolve(one, { url, base }));
    stored.push({ path, stamp, url, title, encoding, fault: null, references: resolved });
  }
  return stored;
}

/** A document as it is now: it may have changed since it was listed. Null when it is gone; the next run notices. */
async function presentDocument(
  root: string,
  { path }: ListedDocument,
): Promise<{ path: string; full: string; stamp: string; fault: string | null } | null> {
  const full = await findDocument(root, path);
  const stamp = full === null ? null : await stampOf(full);
  if (full === null || stamp === null) return null;
  return { path, full, stamp, fault: isTooLarge(stamp) ? 'it has more than 50 MB' : null };
}

/** @throws UniferumError `not-found` */
export async function requireSource(db: Database, id: string): Promise<PageSource> {
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
}

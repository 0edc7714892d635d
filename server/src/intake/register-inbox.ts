import { formatCount } from '@uniferum/core/intake';
import { inTransaction } from '../shared/database.js';
import type { Principal } from '../shared/principal.js';
import { type BegunBatch, beginBatch } from './batches.js';
import { type InboxFile, inboxPath, scanInbox } from './inbox.js';
import { findInboxRows, holdInbox, markComing } from './inbox-queries.js';
import type { IntakeTools } from './tools.js';

const FILES_PER_ITEM = 128;

/** A request to import from the inbox. */
export interface InboxRequest {
  /** The selected files; null imports everything new. */
  paths: readonly string[] | null;
  mode: 'copy' | 'move' | 'place';
  folder: string;
  /** Whether subfolders of the inbox become folders in the library. */
  keepFolders: boolean;
}

/** The plan of an import: the files to be imported, and those left, each with its state. */
export interface InboxPlan {
  items: InboxFile[];
  totals: { taken: number; bytes: number; left: number };
}

/** Plans an import. Both the rehearsal and the import itself use it. */
export async function planInbox(
  tools: IntakeTools,
  request: InboxRequest,
  nowMs = Date.now(),
): Promise<InboxPlan> {
  const wanted = request.paths === null ? null : new Set(request.paths);
  for (const path of wanted ?? []) inboxPath(tools.config, path);
  const files = await scanInbox(tools, { ...request, nowMs });
  // Selected files that would be refused are part of the batch, with their verdict; those already imported or
  // incomplete stay.
  const items = files.filter(({ path, state }) =>
    wanted === null ? state === 'new' : wanted.has(path) && (state === 'new' || state === 'refused'),
  );
  return {
    items,
    totals: {
      taken: items.length,
      bytes: items.reduce((sum, { bytes }) => sum + bytes, 0),
      left: files.length - items.length,
    },
  };
}

/**
 * Starts importing files of the inbox.
 *
 * @returns null when there is nothing to import: repeating the request has no further effect
 */
export async function registerInbox(
  tools: IntakeTools,
  who: Principal,
  request: InboxRequest,
): Promise<BegunBatch | null> {
  const { items } = await planInbox(tools, request);
  return inTransaction(tools.db, async (tx) => {
    await holdInbox(tx);
    const rows = await findInboxRows(
      tx,
      items.map(({ path }) => path),
    );
    const free = items.filter(({ path }) => rows.get(path)?.is_coming !== 1);
    if (free.length === 0) return null;
    const batch = await beginBatch(tx, who, {
      way: 'inbox',
      folder: request.folder,
      label: null,
      title: `Importing ${formatCount(free.length, 'file')} from the inbox into ${request.folder}`,
      filesPerItem: FILES_PER_ITEM,
      files: free.map((file) => ({
        name: file.name,
        folder: file.folder,
        texts: {},
        capturedAt: null,
        from: { kind: 'inbox', path: file.path, mode: request.mode },
      })),
    });
    await markComing(tx, batch.run, free);
    return batch;
  });
}

import { stat } from 'node:fs/promises';
import {
  archiveFolder,
  type IntakeWay,
  type ManifestMapping,
  type ManifestPlan,
  type ManifestTable,
  planArchive,
  planManifest,
  proposeMapping,
  type Reason,
  readManifest,
  type Verdict,
} from '@uniferum/core';
import type { Principal } from '../access/principal.js';
import type { App } from '../app.js';
import { recordBlobs } from '../library/blobs.js';
import type { IntakeSource } from '../runs/handler.js';
import { addItems, beginRun, endIfEmpty } from '../runs/ledger.js';
import { type Executor, inTransaction, type Transaction } from '../shared/database.js';
import { UniferumError } from '../shared/errors.js';
import type { StagedBytes } from '../stores/byte-store.js';
import { type OpenArchive, openArchive } from './archive-reader.js';
import { findInInbox, type InboxFile, inboxPath, scanInbox } from './inbox.js';
import { findInboxRows, holdInbox, markComing } from './inbox-queries.js';
import type { IntakeContext } from './incoming.js';
import { insertIntake, updateIntakeArchive, updateIntakeRun } from './queries.js';
import { recordVerdicts } from './settle.js';
import { refusedVerdict, refuseFile } from './take-in.js';

/** A batch on which a run works. */
export interface BegunBatch {
  intake: string;
  run: string;
}

interface NewBatch {
  way: IntakeWay;
  folder: string;
  label: string | null;
  title: string;
  files: readonly IntakeSource[];
  /** What belongs to the batch and is refused before it comes to the run. */
  refused?: readonly Verdict[];
  /** How many files one item of the run takes in. */
  filesPerItem: number;
}

const ENTRIES_PER_ITEM = 50;
const REMOTE_FILES_PER_ITEM = 4;
const INBOX_FILES_PER_ITEM = 128;

/** Makes the batch to which files belong that come by requests. */
export async function openIntake(
  app: App,
  who: Principal,
  { way, folder, label = null }: { way: IntakeWay; folder: string; label?: string | null },
): Promise<IntakeContext> {
  return recordIntake(app.db, who, { way, folder, label });
}

async function recordIntake(
  db: Executor,
  who: Principal,
  { way, folder, label }: Pick<NewBatch, 'way' | 'folder' | 'label'>,
): Promise<IntakeContext> {
  const via = who.kind === 'user' ? 'console' : 'api';
  const id = await insertIntake(db, { folder, by: who.name, principal: who.ref, via, way, label });
  return { id, folder, by: who.name, via, way };
}

/** Begins a batch with the run that takes its files in. */
async function beginBatch(tx: Transaction, who: Principal, batch: NewBatch): Promise<BegunBatch> {
  const intake = await recordIntake(tx, who, batch);
  const run = await beginRun(tx, { kind: 'intake', title: batch.title, by: who.name });
  const items = [];
  for (const files of cutIntoItems(batch.files, batch.filesPerItem))
    items.push({
      key: `files:${items.length}`,
      title: titleOf(files),
      input: { intake, files },
      weight: files.length,
    });
  await addItems<'intake'>(tx, run, items);
  await endIfEmpty(tx, run);
  await updateIntakeRun(tx, intake.id, run);
  await recordVerdicts(
    tx,
    intake,
    (batch.refused ?? []).map((verdict) => ({ verdict, assetId: null, bytes: 0 })),
  );
  return { intake: intake.id, run };
}

/** Cuts a batch into items; what comes over a network takes the place of several files that are here. */
function cutIntoItems(files: readonly IntakeSource[], filesPerItem: number): IntakeSource[][] {
  const items: IntakeSource[][] = [];
  let load = filesPerItem;
  for (const file of files) {
    const isRemote = file.from.kind === 'address' && !file.from.address.startsWith('data:');
    const cost = isRemote ? Math.max(1, filesPerItem / REMOTE_FILES_PER_ITEM) : 1;
    if (load + cost > filesPerItem) {
      items.push([]);
      load = 0;
    }
    items.at(-1)?.push(file);
    load += cost;
  }
  return items;
}

function titleOf(files: readonly IntakeSource[]): string {
  const shown = files.slice(0, 3).map(({ name, from }) => {
    if (name) return name;
    return from.kind === 'inbox' ? from.path : from.kind === 'address' ? from.address.slice(0, 80) : '';
  });
  return shown.join(', ') + (files.length > 3 ? ` and ${files.length - 3} more` : '');
}

/**
 * Unpacks an archive that has arrived, into a folder of its own name: its directory is judged at once, its files come as
 * a run. An unsafe archive is refused whole, with the name of the entry.
 */
export async function unpackArchive(
  app: App,
  who: Principal,
  {
    name,
    staged,
    folder,
    ownFolder,
  }: { name: string; staged: StagedBytes; folder: string; ownFolder: boolean },
): Promise<BegunBatch> {
  const target = ownFolder ? archiveFolder(folder, name) : folder;
  try {
    const { entries, ignored } = await judgeArchive(app, who, { name, staged, target });
    await staged.keep();
    return await inTransaction(app.db, async (tx) => {
      const { sha256, bytes, crc32, copy } = staged;
      // Named in the database so that it is kept while it is unpacked; without an asset it is swept afterwards.
      await recordBlobs(tx, [{ sha256, bytes, crc32, ...copy }]);
      const batch = await beginBatch(tx, who, {
        way: 'archive',
        folder: target,
        label: name,
        title: `Unpacking ${name}${ignored > 0 ? `, without ${ignored} system files` : ''}`,
        filesPerItem: ENTRIES_PER_ITEM,
        files: entries.map((entry) => ({
          name: entry.name,
          folder: entry.folder,
          texts: {},
          capturedAt: null,
          from: { kind: 'archive', sha256, entry: entry.index },
        })),
      });
      await updateIntakeArchive(tx, batch.intake, sha256);
      return batch;
    });
  } finally {
    await staged.discard();
  }
}

async function judgeArchive(
  app: App,
  who: Principal,
  { name, staged, target }: { name: string; staged: StagedBytes; target: string },
) {
  const refuse = async (code: Reason['code'], message: string): Promise<never> => {
    const intake = await openIntake(app, who, { way: 'archive', folder: target, label: name });
    const verdict = await refuseFile(app, intake, name, { code, message });
    throw refusal(verdict);
  };
  if (staged.path === null)
    return refuse('too-large', `${name} is larger than this installation takes. Send it in parts.`);
  let archive: OpenArchive;
  try {
    archive = await openArchive(staged.path, app.config.archive.maxEntries);
  } catch (error) {
    const why = error instanceof Error ? error.message : String(error);
    return refuse('unreadable', `${name} can't be read as a zip archive: ${why}. Pack it again and send it.`);
  }
  try {
    const plan = planArchive(archive.entries, target, app.config.archive);
    if (plan.ok) return plan;
    const entry = plan.entry === null ? '' : `${plan.entry}: `;
    return await refuse('archive-unsafe', `${name} is not unpacked. ${entry}${plan.message}`);
  } finally {
    archive.close();
  }
}

/** The problem that says that a file was refused. */
export function refusal(verdict: Verdict): UniferumError {
  return new UniferumError('refused', verdict.reasons.map(({ message }) => message).join(' '), { verdict });
}

/** What is wanted of the inbox. */
export interface InboxRequest {
  /** The files that are ticked; null takes everything that is new. */
  paths: readonly string[] | null;
  mode: 'copy' | 'move' | 'place';
  folder: string;
  /** Whether folders in the inbox become folders in the library. */
  keepFolders: boolean;
}

/** What registering would come to: the files that would be taken in, and those that are left, each with its state. */
export interface InboxPlan {
  items: InboxFile[];
  totals: { taken: number; bytes: number; left: number };
}

/** Works out what registering would do. Both the rehearsal and the real thing ask here. */
export async function planInbox(app: App, request: InboxRequest, nowMs = Date.now()): Promise<InboxPlan> {
  const wanted = request.paths === null ? null : new Set(request.paths);
  for (const path of wanted ?? []) inboxPath(app.config, path);
  const files = await scanInbox(app, { ...request, nowMs });
  // What is ticked and would be refused comes into the batch, with its verdict; what is there or not whole stays.
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

/** Begins to register files of the inbox. @returns null when there is nothing to register: a second press does nothing */
export async function registerInbox(
  app: App,
  who: Principal,
  request: InboxRequest,
): Promise<BegunBatch | null> {
  const { items } = await planInbox(app, request);
  return inTransaction(app.db, async (tx) => {
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
      title: `Registering ${free.length.toLocaleString('en-GB')} files of the inbox`,
      filesPerItem: INBOX_FILES_PER_ITEM,
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

/** Begins to fetch files by their addresses. */
export async function fetchAddresses(
  app: App,
  who: Principal,
  { folder, addresses }: { folder: string; addresses: readonly string[] },
): Promise<BegunBatch> {
  return inTransaction(app.db, (tx) =>
    beginBatch(tx, who, {
      way: 'address',
      folder,
      label: null,
      title: `Fetching ${addresses.length.toLocaleString('en-GB')} addresses`,
      filesPerItem: REMOTE_FILES_PER_ITEM,
      files: addresses.map((address) => ({
        name: null,
        folder,
        texts: {},
        capturedAt: null,
        from: { kind: 'address', address },
      })),
    }),
  );
}

export interface ManifestRequest {
  content: string;
  folder: string;
  label: string | null;
  mapping: ManifestMapping | null;
}

export interface RehearsedManifest {
  table: ManifestTable;
  mapping: ManifestMapping;
  plan: ManifestPlan;
}

/** Works out what a manifest would take in. Paths are paths in the inbox; what isn't there is a fault. */
export async function rehearseManifest(
  { config }: Pick<App, 'config'>,
  { content, folder, mapping }: ManifestRequest,
): Promise<RehearsedManifest> {
  const table = readManifest(content);
  const used = mapping ?? proposeMapping(table.columns);
  const plan = planManifest(table, used, folder);
  const there = await Promise.all(
    plan.rows.map(async ({ source }) => source.kind === 'address' || (await isInInbox(config, source.value))),
  );
  const missing = plan.rows.filter((_, index) => !there[index]);
  return {
    table,
    mapping: used,
    plan: {
      rows: plan.rows.filter((_, index) => there[index]),
      faults: [
        ...plan.faults,
        ...missing.map(({ row, source }) => ({
          row,
          column: used.source ?? null,
          message: `there is no ${source.value} in the inbox`,
        })),
      ].sort((a, b) => (a.row ?? 0) - (b.row ?? 0)),
    },
  };
}

async function isInInbox(config: App['config'], path: string): Promise<boolean> {
  return findInInbox(config, path)
    .then(stat)
    .then(
      (info) => info.isFile(),
      () => false,
    );
}

/** Begins to take in what a manifest lists. Rows with a fault are refused, each with what is wrong with it. */
export async function takeManifestIn(
  app: App,
  who: Principal,
  request: ManifestRequest,
): Promise<BegunBatch> {
  const { plan } = await rehearseManifest(app, request);
  if (plan.rows.length === 0)
    throw new UniferumError(
      'refused',
      `The manifest lists nothing that can be taken in: ${plan.faults[0]?.message ?? 'it has no rows'}.`,
      {
        errors: plan.faults.slice(0, 100).map(({ row, message }) => ({
          field: row === null ? 'content' : `row ${row}`,
          code: 'manifest-row',
          message,
        })),
      },
    );
  return inTransaction(app.db, (tx) =>
    beginBatch(tx, who, {
      way: 'manifest',
      folder: request.folder,
      label: request.label,
      title: `Taking in ${plan.rows.length.toLocaleString('en-GB')} rows of ${request.label ?? 'a manifest'}`,
      filesPerItem: ENTRIES_PER_ITEM,
      refused: plan.faults.map((fault) => refusedRow(fault, request.label)),
      files: plan.rows.map(({ source, folder, name, texts, capturedAt }) => ({
        name: name ?? (source.kind === 'path' ? (source.value.split('/').at(-1) ?? source.value) : null),
        folder,
        texts,
        capturedAt,
        from:
          source.kind === 'path'
            ? { kind: 'inbox', path: source.value, mode: 'copy' }
            : { kind: 'address', address: source.value },
      })),
    }),
  );
}

function refusedRow({ row, message }: ManifestPlan['faults'][number], label: string | null): Verdict {
  const name = row === null ? (label ?? 'the manifest') : `row ${row}`;
  return refusedVerdict(name, {
    code: 'incomplete',
    message: `${row === null ? 'The manifest' : `Row ${row}`} is left out: ${message}.`,
  });
}

import type { IntakeWay, Verdict } from '@uniferum/core';
import type { Principal } from '../access/principal.js';
import type { App } from '../app.js';
import type { IntakeSource } from '../runs/handler.js';
import { addItems, beginRun, endIfEmpty } from '../runs/ledger.js';
import { type Executor, inTransaction, type Transaction } from '../shared/database.js';
import { UniferumError } from '../shared/errors.js';
import type { IntakeContext } from './incoming.js';
import { insertIntake, updateIntakeRun } from './queries.js';
import { recordVerdicts } from './settle.js';

/** A batch on which a run works. */
export interface BegunBatch {
  intake: string;
  run: string;
}

export interface NewBatch {
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

export const ENTRIES_PER_ITEM = 50;
const REMOTE_FILES_PER_ITEM = 4;

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
export async function beginBatch(tx: Transaction, who: Principal, batch: NewBatch): Promise<BegunBatch> {
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
/** The problem that says that a file was refused. */
export function refusal(verdict: Verdict): UniferumError {
  return new UniferumError('refused', verdict.reasons.map(({ message }) => message).join(' '), { verdict });
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

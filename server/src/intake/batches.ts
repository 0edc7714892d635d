import { formatCount, type IntakeWay, type Verdict } from '@uniferum/core/intake';
import { addItems, beginRun, endIfEmpty } from '../runs/ledger.js';
import { type Executor, inTransaction, type Transaction } from '../shared/database.js';
import { UniferumError } from '../shared/errors.js';
import { inGroups } from '../shared/group.js';
import type { Principal } from '../shared/principal.js';
import type { IntakeContext } from './incoming.js';
import { insertIntake, updateIntakeRun } from './queries.js';
import { type IntakeSource, intakeRun } from './run-kind.js';
import { recordVerdicts } from './settle.js';
import type { IntakeTools } from './tools.js';

/** A batch processed by a run. */
export interface BegunBatch {
  intake: string;
  run: string;
}

export interface NewBatch {
  way: IntakeWay;
  folder: string;
  label: string | null;
  title: string;
  files: Iterable<IntakeSource> | AsyncIterable<IntakeSource>;
  /** Items of the batch that are refused before the run starts. */
  refused?: AsyncIterable<Verdict>;
  /** The number of files per run item. */
  filesPerItem: number;
}

export const ENTRIES_PER_ITEM = 50;
const REMOTE_FILES_PER_ITEM = 4;
const ITEMS_PER_INSERT = 100;
const VERDICTS_PER_INSERT = 500;

/** Creates the batch for files that arrive in requests. */
export async function openIntake(
  tools: IntakeTools,
  who: Principal,
  { way, folder, label = null }: { way: IntakeWay; folder: string; label?: string | null },
): Promise<IntakeContext> {
  return openIntakeIn(tools.db, who, { way, folder, label });
}

/** Creates a batch in the current transaction. */
export async function openIntakeIn(
  db: Executor,
  who: Principal,
  { way, folder, label }: Pick<NewBatch, 'way' | 'folder' | 'label'>,
): Promise<IntakeContext> {
  const via = who.kind === 'user' ? 'console' : 'api';
  const id = await insertIntake(db, { folder, by: who.name, principal: who.ref, via, way, label });
  return { id, folder, by: who.name, via, way };
}

/** Starts a batch and the run that imports its files. */
export async function beginBatch(tx: Transaction, who: Principal, batch: NewBatch): Promise<BegunBatch> {
  const intake = await openIntakeIn(tx, who, batch);
  const run = await beginRun(tx, intakeRun, { title: batch.title, by: who.name });
  let count = 0;
  for await (const some of inGroups(cutIntoItems(batch.files, batch.filesPerItem), ITEMS_PER_INSERT)) {
    const items = some.map((files) => ({
      key: `files:${count++}`,
      title: titleOf(files),
      input: { intake, files },
      weight: files.length,
    }));
    await addItems(tx, run, intakeRun, items);
  }
  await endIfEmpty(tx, run);
  await updateIntakeRun(tx, intake.id, run);
  for await (const verdicts of inGroups(batch.refused ?? [], VERDICTS_PER_INSERT))
    await recordVerdicts(
      tx,
      intake,
      verdicts.map((verdict) => ({ verdict, assetId: null, bytes: 0 })),
    );
  return { intake: intake.id, run };
}

/** Splits a batch into items; a file fetched over a network counts as several local ones. */
async function* cutIntoItems(files: NewBatch['files'], filesPerItem: number): AsyncGenerator<IntakeSource[]> {
  let item: IntakeSource[] = [];
  let load = 0;
  for await (const file of files) {
    const isRemote = file.from.kind === 'address' && !file.from.address.startsWith('data:');
    const cost = isRemote ? Math.max(1, filesPerItem / REMOTE_FILES_PER_ITEM) : 1;
    if (item.length > 0 && load + cost > filesPerItem) {
      yield item;
      item = [];
      load = 0;
    }
    item.push(file);
    load += cost;
  }
  if (item.length > 0) yield item;
}

function titleOf(files: readonly IntakeSource[]): string {
  // Only what is fetched may have no name yet.
  const shown = files
    .slice(0, 3)
    .map(({ name, from }) => name || (from.kind === 'address' ? from.address.slice(0, 80) : from.kind));
  return shown.join(', ') + (files.length > 3 ? ` and ${files.length - 3} more` : '');
}
/** The problem that reports a refused file. */
export function refusal(verdict: Verdict): UniferumError {
  return new UniferumError('refused', verdict.reasons.map(({ message }) => message).join(' '), { verdict });
}

/** Starts importing files from URLs. */
export async function fetchAddresses(
  tools: IntakeTools,
  who: Principal,
  { folder, addresses }: { folder: string; addresses: readonly string[] },
): Promise<BegunBatch> {
  return inTransaction(tools.db, (tx) =>
    beginBatch(tx, who, {
      way: 'address',
      folder,
      label: null,
      title: `Fetching ${formatCount(addresses.length, 'URL')} into ${folder}`,
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

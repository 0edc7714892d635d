import type { AuditMode } from '@uniferum/core/copies';
import { updateHomeDamage } from '../library/home-copy-queries.js';
import type { BoundRun, ItemContext, ItemResult } from '../runs/handler.js';
import { addItems, beginRun } from '../runs/ledger.js';
import { findActiveRun } from '../runs/queries.js';
import { defineRun } from '../runs/run-kind.js';
import { type Database, inTransaction, type Transaction } from '../shared/database.js';
import { UniferumError } from '../shared/errors.js';
import { auditBucket, findingOf, MAX_FINDINGS, readObject } from './audit-bucket.js';
import { auditHome, readHome } from './audit-home.js';
import { deleteFindings, insertFindings, type NewFinding } from './audit-queries.js';
import { findCopiesById, updateCopies } from './copy-queries.js';
import { updateHomeAudited } from './cursor-queries.js';
import { updateAudited } from './store-queries.js';
import { announcePlaced, type CopyTools } from './upload.js';

/** The part of an audit that an item does. Store 0 is the home store. */
type AuditPart =
  | { store: number; mode: AuditMode; part: 'list' }
  | { store: number; part: 'read'; copies: number[] }
  | { store: 0; part: 'read-home'; digests: string[] };

export const auditRun = defineRun<AuditPart>({ kind: 'audit', label: 'Audit a store' });

/** The number of copies that a sample reads. */
const SAMPLE = 200;
const READ_PER_ITEM = 20;
/** Reading a sample of large films takes hours on a slow line. */
const MAX_MS = 24 * 3_600_000;

/** Starts an audit. @returns the run's id @throws UniferumError `conflict` while another one of the store goes on */
export async function beginAudit(
  db: Database,
  store: { id: number; name: string },
  mode: AuditMode,
  by: string,
): Promise<string> {
  return inTransaction(db, async (tx) => {
    const title = `Audit of ${store.name}`;
    const active = await findActiveRun(tx, auditRun.kind, title);
    if (active && active.state !== 'stopped')
      throw new UniferumError('conflict', `"${title}" is still running. Wait until it ends, or stop it.`);
    const run = await beginRun(tx, auditRun, { title, by });
    const input: AuditPart = { store: store.id, mode, part: 'list' };
    await addItems(tx, run, auditRun, [{ key: 'list', title: `List of ${store.name}`, input }]);
    return run;
  });
}

export function auditHandler(tools: CopyTools): BoundRun {
  return auditRun.bind({
    maxMs: MAX_MS,
    work: (part, context) => {
      if (part.part === 'list')
        return part.store === 0 ? listHome(tools, part.mode, context) : list(tools, part, context);
      return part.part === 'read' ? read(tools, part, context) : readDigests(tools, part.digests, context);
    },
  });
}

async function list(
  tools: CopyTools,
  { store: storeId, mode }: { store: number; mode: AuditMode },
  { signal, runId }: ItemContext,
): Promise<ItemResult> {
  const sampleSize = { list: 0, sample: SAMPLE, full: Number.POSITIVE_INFINITY }[mode];
  const { findings, unsure, sample, listed } = await auditBucket(tools, storeId, { sampleSize, signal });
  const chosen = [...new Set([...unsure, ...sample])];
  return {
    outcome: 'done',
    note: `${listed} listed; ${findings.length} found`,
    record: async (tx) => {
      await deleteFindings(tx, storeId);
      await recordFindings(tx, tools, { storeId, run: runId, findings });
      await updateAudited(tx, storeId);
      await addReading(tx, runId, storeId, chosen);
    },
  };
}

async function recordFindings(
  tx: Transaction,
  tools: Pick<CopyTools, 'joints'>,
  { findings, ...where }: { storeId: number; run: string; findings: readonly NewFinding[] },
): Promise<void> {
  const some = findings.slice(0, MAX_FINDINGS);
  await insertFindings(tx, where, some);
  const ids = some.flatMap(({ copyId }) => (copyId === null ? [] : [copyId]));
  const copies = await findCopiesById(tx, ids, { lock: true });
  const damaged = copies.filter(({ state }) => state === 'stored');
  await updateCopies(tx, damaged, {
    ...{ state: 'damaged', error: 'An audit found it missing or damaged.', isChecked: true },
  });
  await announcePlaced(tx, tools, damaged);
}

async function addReading(
  tx: Transaction,
  run: string,
  store: number,
  copies: readonly number[],
): Promise<void> {
  const items = groups(copies, READ_PER_ITEM).map((some, n) => ({
    key: `read:${n}`,
    title: `Reading ${some.length} copies`,
    input: { store, part: 'read' as const, copies: some },
    weight: some.length,
  }));
  await addItems(tx, run, auditRun, items);
}

function groups<Entry>(entries: readonly Entry[], size: number): Entry[][] {
  return Array.from({ length: Math.ceil(entries.length / size) }, (_, n) =>
    entries.slice(n * size, (n + 1) * size),
  );
}

/** Reads copies and compares their checksums. One that was thought damaged and isn't is good again. */
async function read(
  tools: CopyTools,
  { store: storeId, copies }: { store: number; copies: number[] },
  { signal, runId }: ItemContext,
): Promise<ItemResult> {
  const { objects } = await tools.buckets.open(tools.db, storeId);
  const findings: NewFinding[] = [];
  const good: number[] = [];
  for (const row of await findCopiesById(tools.db, copies)) {
    if (row.state !== 'stored' && row.state !== 'damaged') continue;
    const verdict = await readObject(objects, row, signal);
    if (verdict === 'good') good.push(row.id);
    else findings.push(findingOf(verdict, row, row.bytes));
  }
  return {
    outcome: 'done',
    note: `${good.length} good${findings.length > 0 ? `, ${findings.length} damaged` : ''}`,
    record: async (tx) => {
      await recordFindings(tx, tools, { storeId, run: runId, findings });
      const rows = await findCopiesById(tx, good, { lock: true });
      await updateCopies(
        tx,
        rows.filter(({ state }) => state === 'stored' || state === 'damaged'),
        { state: 'stored', isChecked: true },
      );
      return { done: copies.length, failed: 0, skipped: 0 };
    },
  };
}

async function listHome(tools: CopyTools, mode: AuditMode, context: ItemContext): Promise<ItemResult> {
  const { findings, sample, listed } = await auditHome(tools, {
    sampleSize: mode === 'list' ? 0 : mode === 'sample' ? SAMPLE : Number.POSITIVE_INFINITY,
    signal: context.signal,
  });
  return {
    outcome: 'done',
    note: `${listed} listed; ${findings.length} found`,
    record: async (tx) => {
      await deleteFindings(tx, 0);
      await updateHomeAudited(tx);
      await recordHomeFindings(tx, tools, context.runId, findings);
      const items = groups(sample, READ_PER_ITEM).map((digests, n) => ({
        key: `read:${n}`,
        title: `Reading ${digests.length} files`,
        input: { store: 0 as const, part: 'read-home' as const, digests },
        weight: digests.length,
      }));
      await addItems(tx, context.runId, auditRun, items);
    },
  };
}

async function readDigests(
  tools: CopyTools,
  digests: readonly string[],
  { signal, runId }: ItemContext,
): Promise<ItemResult> {
  const { good, findings } = await readHome(tools, digests, signal);
  return {
    outcome: 'done',
    note: `${good.length} good${findings.length > 0 ? `, ${findings.length} damaged` : ''}`,
    record: async (tx) => {
      await recordHomeFindings(tx, tools, runId, findings);
      await updateHomeDamage(tx, tools.store.name, good, false);
      return { done: digests.length, failed: 0, skipped: 0 };
    },
  };
}

async function recordHomeFindings(
  tx: Transaction,
  { store }: Pick<CopyTools, 'store'>,
  run: string,
  findings: readonly NewFinding[],
): Promise<void> {
  const some = findings.slice(0, MAX_FINDINGS);
  await insertFindings(tx, { storeId: 0, run }, some);
  const damaged = some.filter(({ reason }) => reason !== 'surplus');
  await updateHomeDamage(
    tx,
    store.name,
    damaged.flatMap(({ sha256 }) => sha256 ?? []),
    true,
  );
}

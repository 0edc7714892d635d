import type { AuditReason, RepairPlanItem } from '@uniferum/core/copies';
import { planAdding } from '@uniferum/core/copies';
import { isBlobReferenced } from '../library/blob-queries.js';
import type { Joints } from '../library/joints.js';
import type { BoundRun, ItemContext, ItemResult } from '../runs/handler.js';
import { addItems, beginRun, endIfEmpty } from '../runs/ledger.js';
import { defineRun } from '../runs/run-kind.js';
import { type Database, inTransaction } from '../shared/database.js';
import { MAX_FINDINGS } from './audit-bucket.js';
import {
  deleteFinding,
  type FindingRow,
  findCopiesAt,
  findDiscardedKeys,
  findFinding,
  listFindings,
} from './audit-queries.js';
import { findGoodCopies, keyHash } from './copy-queries.js';
import { carryOut, namedStores } from './place.js';
import { recall } from './recall.js';
import type { CopyTools } from './upload.js';

export const repairRun = defineRun<{ finding: number }>({ kind: 'repair', label: 'Repair a store' });

/** Repaired unless something else is asked for: nothing is deleted. */
export const DEFAULT_REASONS: readonly AuditReason[] = ['missing', 'size', 'damaged'];

interface Repair {
  store: { id: number; name: string };
  reasons: readonly AuditReason[];
}

/** Lists what a repair would do; changes nothing. */
export async function rehearseRepair(
  tools: CopyTools,
  { store, reasons }: Repair,
): Promise<{ items: RepairPlanItem[]; totals: Record<RepairPlanItem['action'], number> }> {
  const totals = { store: 0, delete: 0, nothing: 0 };
  const items: RepairPlanItem[] = [];
  for (const finding of await listFindings(tools.db, store.id, { after: 0, limit: MAX_FINDINGS, reasons })) {
    const action = await actionFor(tools, finding);
    totals[action] += 1;
    if (items.length < SHOWN) items.push({ ...describeFinding(finding), action });
  }
  return { items, totals };
}

const SHOWN = 200;

export function describeFinding({ store_key, reason, asset_id, asset_name }: FindingRow) {
  const asset = asset_id === null || asset_name === null ? null : { id: String(asset_id), name: asset_name };
  return { key: store_key, reason, asset };
}

async function actionFor({ db, store }: CopyTools, finding: FindingRow): Promise<RepairPlanItem['action']> {
  if (finding.reason === 'surplus') return 'delete';
  if (finding.sha256 === null) return 'nothing';
  const others = (await findGoodCopies(db, finding.sha256)).filter(({ id }) => id !== finding.copy_id);
  if (others.length > 0) return 'store';
  return finding.store_id !== 0 && (await store.measure(finding.sha256)) !== null ? 'store' : 'nothing';
}

/** Starts the run that repairs what an audit found. @returns its id */
export async function beginRepair(db: Database, { store, reasons }: Repair, by: string): Promise<string> {
  const findings = await listFindings(db, store.id, { after: 0, limit: MAX_FINDINGS, reasons });
  return inTransaction(db, async (tx) => {
    const run = await beginRun(tx, repairRun, { title: `Repair of ${store.name}`, by });
    await addItems(
      tx,
      run,
      repairRun,
      findings.map(({ id, store_key, asset_name }) => ({
        key: `finding:${id}`,
        title: asset_name ?? store_key,
        input: { finding: id },
      })),
    );
    await endIfEmpty(tx, run);
    return run;
  });
}

export function repairHandler(tools: CopyTools & { joints: Joints }): BoundRun {
  return repairRun.bind({
    work: async ({ finding: id }, context) => {
      const finding = await findFinding(tools.db, id);
      if (finding === null) return { outcome: 'skipped', note: 'It is repaired already.' };
      const result =
        finding.store_id === 0
          ? await repairHome(tools, finding)
          : await repairBucket(tools, finding, context);
      return {
        ...result,
        record: async (tx) => {
          if (result.outcome !== 'failed') await deleteFinding(tx, id);
        },
      };
    },
  });
}

async function repairHome(
  tools: CopyTools & { joints: Joints },
  { reason, sha256 }: FindingRow,
): Promise<ItemResult> {
  if (sha256 === null) return { outcome: 'skipped' };
  if (reason === 'surplus') {
    // It may have arrived again in the meantime.
    if (await isBlobReferenced(tools.db, tools.joints.blobHolders, sha256)) return { outcome: 'skipped' };
    await tools.store.quarantine(sha256);
    return { outcome: 'done', note: 'Set aside; deleted for good a day later.' };
  }
  // What is damaged makes way for good bytes only once those are here.
  const isBack = await recall(tools, sha256, { isReplaced: reason !== 'missing' });
  return isBack
    ? { outcome: 'done', note: 'Brought back from a good copy.' }
    : { outcome: 'failed', error: 'There is no good copy of it in any store. Upload the file again.' };
}

async function repairBucket(
  tools: CopyTools,
  finding: FindingRow,
  context: ItemContext,
): Promise<ItemResult> {
  const { store_id, store_key, asset_id } = finding;
  if (finding.reason === 'surplus' || asset_id === null) {
    const isKnown =
      (await findCopiesAt(tools.db, store_id, [keyHash(store_key)])).some(
        (row) => row.store_key === store_key,
      ) || (await findDiscardedKeys(tools.db, store_id, [store_key])).has(store_key);
    if (isKnown) return { outcome: 'skipped', note: 'It is a copy by now.' };
    const { objects } = await tools.buckets.open(tools.db, store_id);
    await objects.delete(store_key, { signal: context.signal });
    return { outcome: 'done', note: 'Deleted.' };
  }
  const named = await namedStores(tools.db, tools, [store_id]);
  const result = await carryOut(tools, String(asset_id), context, {
    store: store_id,
    plan: async (_db, asset) => planAdding(asset, named),
  });
  await result.persist?.();
  const { persist, ...rest } = result;
  return rest;
}

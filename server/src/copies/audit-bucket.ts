import { createHash } from 'node:crypto';
import { compareListed, Reservoir } from '@uniferum/core/copies';
import { objectPlace } from '../library/joints.js';
import { databaseNow } from '../runs/lease-queries.js';
import type { ObjectFacts } from '../shared/copy-store.js';
import { UniferumError } from '../shared/errors.js';
import { inGroups } from '../shared/group.js';
import {
  type AuditedCopy,
  findCopiesAt,
  findDiscardedKeys,
  listStoredIds,
  type NewFinding,
} from './audit-queries.js';
import type { OpenStore } from './buckets.js';
import { findCopiesById, keyHash } from './copy-queries.js';
import { type CopyTools, findHeld } from './upload.js';

const SCANNED_AT_A_TIME = 5000;
/** So many findings are recorded by an audit; more than that says the same: something is wrong with the store. */
export const MAX_FINDINGS = 10_000;

/** What a listing of a bucket says. */
interface Listed {
  /** The copies that are there. */
  seen: Set<number>;
  /** Those that were written since, and may be good or not. */
  unsure: number[];
  findings: NewFinding[];
  /** Objects that no record explains so far. */
  unknown: ObjectFacts[];
  listed: number;
}

/** Compares what a bucket lists with what is recorded. */
export async function auditBucket(
  tools: CopyTools,
  storeId: number,
  { sampleSize, signal }: { sampleSize: number; signal: AbortSignal },
): Promise<{ findings: NewFinding[]; unsure: number[]; sample: readonly number[]; listed: number }> {
  const open = await tools.buckets.open(tools.db, storeId);
  const before = await databaseNow(tools.db);
  const result: Listed = { seen: new Set(), unsure: [], findings: [], unknown: [], listed: 0 };
  // The next page is listed while one is compared.
  let comparing = Promise.resolve();
  for await (const page of open.objects.list({ signal })) {
    await comparing;
    comparing = comparePage(tools, storeId, page, result);
    // Awaited in the next turn, or below.
    comparing.catch(() => {});
  }
  await comparing;
  const { missing, sample } = await findUnseen(tools, open, { seen: result.seen, before, sampleSize });
  const surplus = await confirmSurplus(tools, open, result.unknown);
  const { findings, unsure, listed } = result;
  return { findings: [...findings, ...missing, ...surplus], unsure, sample, listed };
}

async function comparePage(
  { db }: CopyTools,
  storeId: number,
  page: readonly ObjectFacts[],
  result: Listed,
): Promise<void> {
  const rows = await findCopiesAt(
    db,
    storeId,
    page.map(({ key }) => keyHash(key)),
  );
  const byKey = new Map(rows.map((row) => [row.store_key, row]));
  result.listed += page.length;
  for (const object of page) {
    const row = byKey.get(object.key);
    if (!row) {
      if (result.unknown.length < MAX_FINDINGS) result.unknown.push(object);
      continue;
    }
    if (row.state !== 'stored' && row.state !== 'damaged') continue;
    result.seen.add(row.id);
    const verdict = compareListed(row, object);
    if (verdict === 'size') result.findings.push(findingOf('size', row, object.bytes));
    else if (verdict === 'unsure' || row.state === 'damaged') result.unsure.push(row.id);
  }
}

export function findingOf(reason: NewFinding['reason'], copy: AuditedCopy, bytes: number | null): NewFinding {
  const { store_key, sha256, id, asset_id } = copy;
  return { reason, key: store_key, sha256, copyId: id, assetId: asset_id, bytes };
}

/** Goes through the records for copies that weren't listed, and chooses those that are read. */
async function findUnseen(
  { db }: CopyTools,
  { store, objects }: OpenStore,
  { seen, before, sampleSize }: { seen: ReadonlySet<number>; before: Date; sampleSize: number },
): Promise<{ missing: NewFinding[]; sample: readonly number[] }> {
  const missing: NewFinding[] = [];
  const sample = new Reservoir<number>(sampleSize, Math.random);
  let after = 0;
  for (;;) {
    const ids = await listStoredIds(db, store.id, { after, before, limit: SCANNED_AT_A_TIME });
    for (const id of ids) if (seen.has(id)) sample.add(id);
    const unseen = ids.filter((id) => !seen.has(id));
    // It may have been listed while it was replaced: asked by itself it has to be missing as well.
    for (const row of await findCopiesById(db, unseen.slice(0, MAX_FINDINGS - missing.length)))
      if (row.state === 'stored' && (await objects.head(row.store_key)) === null)
        missing.push(findingOf('missing', row, row.bytes));
    const last = ids.at(-1);
    if (last === undefined || ids.length < SCANNED_AT_A_TIME) return { missing, sample: sample.chosen };
    after = last;
  }
}

const ASKED_AT_A_TIME = 8;

/**
 * Leaves out what was recorded, discarded or deleted since it was listed, and what other rooms have stored or pages show.
 */
async function confirmSurplus(
  { db, joints }: CopyTools,
  { store: { id: storeId }, objects: bucket }: OpenStore,
  listed: readonly { key: string; bytes: number }[],
): Promise<NewFinding[]> {
  const found: NewFinding[] = [];
  for (let at = 0; at < listed.length && found.length < MAX_FINDINGS; at += 500) {
    const some = listed.slice(at, at + 500);
    const keys = some.map(({ key }) => key);
    const objects = keys.map((key) => ({ storeId, key }));
    const held = await findHeld(db, joints, objects);
    const known = new Set([
      ...(await findCopiesAt(db, storeId, keys.map(keyHash))).map(({ store_key }) => store_key),
      ...(await findDiscardedKeys(db, storeId, keys)),
    ]);
    const unknown = some.filter(({ key }) => !known.has(key) && !held.has(objectPlace({ storeId, key })));
    for await (const asked of inGroups(unknown, ASKED_AT_A_TIME)) {
      // A discarded one is deleted before it is no longer recorded: what is still there belongs to nobody.
      const there = await Promise.all(asked.map(({ key }) => bucket.head(key)));
      for (const [n, { key, bytes }] of asked.entries())
        if (there[n] !== null)
          found.push({ reason: 'surplus', key, sha256: null, copyId: null, assetId: null, bytes });
    }
  }
  return found;
}

/** A read that breaks off is not a damaged copy: the item is tried again. */
export async function readObject(
  objects: OpenStore['objects'],
  { store_key, sha256 }: Pick<AuditedCopy, 'store_key' | 'sha256'>,
  signal: AbortSignal,
): Promise<'good' | 'damaged' | 'missing'> {
  try {
    const digest = createHash('sha256');
    for await (const piece of await objects.open(store_key, { signal })) digest.update(piece as Buffer);
    return digest.digest('hex') === sha256 ? 'good' : 'damaged';
  } catch (error) {
    if (error instanceof UniferumError && error.code === 'not-found') return 'missing';
    throw error;
  }
}

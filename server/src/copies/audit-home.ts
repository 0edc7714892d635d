import { Reservoir } from '@uniferum/core/copies';
import { findRecorded } from '../library/blob-queries.js';
import { databaseNow } from '../runs/lease-queries.js';
import { withBorrowed } from '../shared/byte-store.js';
import { UniferumError } from '../shared/errors.js';
import { hashFile } from '../stores/hash-file.js';
import { findHolder, listHomeCopies, type NewFinding } from './audit-queries.js';
import type { CopyTools } from './upload.js';

/** Files that arrive are stored before they are recorded; what is older and unknown belongs to nothing. */
const SURPLUS_AFTER_MS = 24 * 3_600_000;
const COMPARED_AT_A_TIME = 1000;
/** Enough digits of a digest to tell millions of files apart. */
const SHORT_DIGITS = 16;

type Tools = Pick<CopyTools, 'db' | 'store'>;

/** Compares what the home store lists with what is recorded there. */
export async function auditHome(
  tools: Tools,
  { sampleSize, signal }: { sampleSize: number; signal: AbortSignal },
): Promise<{ findings: NewFinding[]; sample: readonly string[]; listed: number }> {
  const { db, store } = tools;
  const before = await databaseNow(db);
  const seen = new Set<string>();
  const findings: NewFinding[] = [];
  for await (const digests of store.listKept()) {
    signal.throwIfAborted();
    for (const sha256 of digests) seen.add(sha256.slice(0, SHORT_DIGITS));
    for (let at = 0; at < digests.length; at += COMPARED_AT_A_TIME)
      findings.push(...(await findUnknown(tools, digests.slice(at, at + COMPARED_AT_A_TIME))));
  }
  const sample = new Reservoir<string>(sampleSize, Math.random);
  let after = '';
  for (;;) {
    signal.throwIfAborted();
    const rows = await listHomeCopies(db, store.name, { after, before, limit: COMPARED_AT_A_TIME });
    for (const row of rows) {
      const finding = await judge(tools, row, seen.has(row.sha256.slice(0, SHORT_DIGITS)));
      if (finding) findings.push(finding);
      else sample.add(row.sha256);
    }
    const last = rows.at(-1);
    if (!last || rows.length < COMPARED_AT_A_TIME)
      return { findings, sample: sample.chosen, listed: seen.size };
    after = last.sha256;
  }
}

/** @returns null when the bytes are there, in their size */
async function judge(
  tools: Tools,
  { sha256, bytes }: { sha256: string; bytes: number },
  isListed: boolean,
): Promise<NewFinding | null> {
  const size = isListed ? await tools.store.measure(sha256) : null;
  if (size === bytes) return null;
  if (size !== null) return homeFinding(tools, 'size', sha256, size);
  // What the cleanup has set aside is restored here, because it is recorded.
  await tools.store.restoreQuarantined(sha256).catch(() => {});
  return (await tools.store.measure(sha256)) === bytes ? null : homeFinding(tools, 'missing', sha256, null);
}

async function findUnknown({ db, store }: Tools, digests: readonly string[]): Promise<NewFinding[]> {
  const recorded = await findRecorded(db, digests);
  const found: NewFinding[] = [];
  for (const sha256 of digests) {
    if (recorded.has(sha256)) continue;
    const sinceMs = await store.keptSince(sha256);
    if (sinceMs === null || Date.now() - sinceMs < SURPLUS_AFTER_MS) continue;
    const bytes = await store.measure(sha256);
    found.push({ reason: 'surplus', key: store.keyOf(sha256), sha256, copyId: null, assetId: null, bytes });
  }
  return found;
}

async function homeFinding(
  { db, store }: Tools,
  reason: NewFinding['reason'],
  sha256: string,
  bytes: number | null,
): Promise<NewFinding> {
  const assetId = await findHolder(db, sha256);
  return { reason, key: store.keyOf(sha256), sha256, copyId: null, assetId, bytes };
}

/** Reads files of the home store and compares their checksums. */
export async function readHome(
  tools: Tools,
  digests: readonly string[],
  signal: AbortSignal,
): Promise<{ good: string[]; findings: NewFinding[] }> {
  const good: string[] = [];
  const findings: NewFinding[] = [];
  for (const sha256 of digests) {
    signal.throwIfAborted();
    const verdict = await readOne(tools, sha256);
    if (verdict === 'good') good.push(sha256);
    else findings.push(await homeFinding(tools, verdict, sha256, await tools.store.measure(sha256)));
  }
  return { good, findings };
}

async function readOne({ store }: Tools, sha256: string): Promise<'good' | 'damaged' | 'missing'> {
  if ((await store.measure(sha256)) === null) return 'missing';
  try {
    const facts = await withBorrowed(store, sha256, hashFile);
    return facts.sha256 === sha256 ? 'good' : 'damaged';
  } catch (error) {
    if (error instanceof UniferumError && error.code === 'bytes-damaged') return 'damaged';
    throw error;
  }
}

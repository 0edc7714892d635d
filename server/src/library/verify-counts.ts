import type { Logger } from 'pino';
import type { CountCheck, Drift } from '../shared/count-checks.js';
import { type Database, inTransaction, type Transaction } from '../shared/database.js';
import type { PooledDatabase } from '../shared/pooled-database.js';
import { findFacetDrifts, repairFacets } from './facet-queries.js';
import { readVerified, type VerifiedCounts, writeVerified } from './verify-queries.js';

const SLOW_EVERY_MS = 24 * 3_600_000;

/** Corrected counters, by what they count. */
export type Corrected = Record<string, Drift[]>;

/**
 * Compares the stored counters with the data, corrects those that are off, and reports them. A miscounting bug keeps
 * showing in the log and in `uniferum_counts_corrected` until it is fixed.
 *
 * @param slow also verifies expensive counters.
 * @defaultValue once a day
 */
export async function verifyCounts(
  db: PooledDatabase,
  log: Logger,
  checks: readonly CountCheck[],
  { slow }: { slow?: boolean } = {},
): Promise<Corrected> {
  const isSlow = slow ?? isDue((await readVerified(db)).slowAt);
  const due = checks.filter((check) => isSlow || !check.isSlow);
  const corrected = await correct(db, due, isSlow);
  if (isSlow) {
    const facets = await db.snapshot(async (tx) => {
      const verified = await readVerified(tx, { lock: true });
      const drifts = await findFacetDrifts(tx);
      await repairFacets(tx, drifts);
      if (drifts.length > 0) await writeVerified(tx, count(verified, { facets: drifts }));
      return drifts;
    });
    if (facets.length > 0) corrected.facets = facets;
  }
  for (const [counts, drifts] of Object.entries(corrected))
    log.error(
      { counts, drifts: drifts.slice(0, 20), all: drifts.length },
      'kept counts had drifted and were put right; whatever counted wrongly is a fault in Uniferum',
    );
  return corrected;
}

function isDue(slowAt: string | null): boolean {
  return slowAt === null || Date.now() - Date.parse(slowAt) > SLOW_EVERY_MS;
}

function correct(db: Database, checks: readonly CountCheck[], isSlow: boolean): Promise<Corrected> {
  return inTransaction(db, async (tx) => {
    const verified = await readVerified(tx, { lock: true });
    const corrected: Corrected = {};
    for (const check of checks) {
      const drifts = await correctOne(tx, check);
      if (drifts.length > 0) corrected[check.name] = drifts;
    }
    const now = new Date().toISOString();
    await writeVerified(tx, { ...count(verified, corrected), at: now, ...(isSlow && { slowAt: now }) });
    return corrected;
  });
}

async function correctOne(tx: Transaction, check: CountCheck): Promise<Drift[]> {
  const drifts = await check.find(tx);
  for (const drift of drifts) await check.repair(tx, drift);
  return drifts;
}

function count(verified: VerifiedCounts, corrected: Corrected): VerifiedCounts {
  const sums = { ...verified.corrected };
  for (const [name, drifts] of Object.entries(corrected)) sums[name] = (sums[name] ?? 0) + drifts.length;
  return { ...verified, corrected: sums };
}

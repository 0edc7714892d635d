import { VERDICT_COUNTS } from '../intake/count-queries.js';
import { LIBRARY_COUNTS } from '../library/verify-queries.js';
import { RENDITION_COUNTS } from '../recipes/count-queries.js';
import { type ByteStore, withBorrowed } from '../shared/byte-store.js';
import type { Executor } from '../shared/database.js';
import { hashFile } from '../stores/hash-file.js';
import { findExamples, INVARIANT_QUERIES, readKeptBytes } from './invariant-queries.js';

/** A violated invariant and the number of violations. */
export interface Finding {
  what: string;
  times: number;
  /** Some examples. */
  examples: string[];
}

/** Every stored counter and how it is verified. */
export const ALL_COUNTS = [...LIBRARY_COUNTS, ...RENDITION_COUNTS, ...VERDICT_COUNTS];

const EXAMPLES = 10;
const BATCH = 2000;
/** Files imported in place: the store holds links to them. */
const PLACED = 'inbox';

/**
 * Checks invariants in the database, and between the database and the store. Changes nothing. Work in progress can
 * cause findings that disappear on the next run.
 *
 * @param hash also reads all bytes and compares their digests, which takes as long as reading the disk does
 */
export async function findBroken(
  db: Executor,
  store: ByteStore,
  { hash = false }: { hash?: boolean } = {},
): Promise<Finding[]> {
  const findings: Finding[] = [];
  const add = (what: string, found: readonly unknown[]) => {
    if (found.length > 0)
      findings.push({ what, times: found.length, examples: found.slice(0, EXAMPLES).map(String) });
  };
  for (const [what, sql] of INVARIANT_QUERIES) {
    add(what, await findExamples(db, sql));
  }
  for (const check of ALL_COUNTS) {
    const drifts = await check.find(db);
    add(
      `counts of ${check.name} that are not what there is`,
      drifts.map(({ what, items, bytes }) => `${what} by ${items} items, ${bytes} bytes`),
    );
  }
  add(
    'bytes that are recorded and not in the store, or other ones there',
    await findMissing(db, store, hash),
  );
  return findings;
}

async function findMissing(db: Executor, store: ByteStore, hash: boolean): Promise<string[]> {
  const missing: string[] = [];
  for (let after = ''; ; ) {
    const rows = await readKeptBytes(db, [store.name, PLACED], after, BATCH);
    for (const { sha256, bytes } of rows) {
      const isThere = (await store.has(sha256)) && (!hash || (await isWhole(store, sha256, bytes)));
      if (!isThere) missing.push(sha256);
    }
    const last = rows.at(-1);
    if (!last || rows.length < BATCH) return missing;
    after = last.sha256;
  }
}

async function isWhole(store: ByteStore, sha256: string, bytes: number): Promise<boolean> {
  const facts = await withBorrowed(store, sha256, hashFile).catch(() => null);
  return facts?.sha256 === sha256 && facts.bytes === bytes;
}

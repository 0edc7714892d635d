import { type AddressPair, resolveAddress } from '@uniferum/core/pages';
import { UniferumError } from '../shared/errors.js';
import type { Services } from '../shared/services.js';
import { proposeFixes } from './fixes.js';
import { findReferences, listReferences, type ReferenceRow } from './reference-queries.js';
import { isWritable } from './source.js';
import { listSources } from './source-queries.js';

/** Which broken references to fix: some, all, or all of a source. */
export interface FixBody {
  ids?: string[];
  all?: true;
  source?: string;
}

const ROWS_AT_A_TIME = 1000;
/** More are fixed by a second press. */
const MAX_FIXES = 100_000;

/**
 * Plans what replaces broken references, in sources that may be written.
 *
 * @throws UniferumError `conflict` when there is nothing to replace, with the reason
 */
export async function planFixes(
  { db, config }: Pick<Services, 'db' | 'config'>,
  { ids, source = undefined }: FixBody,
): Promise<{ sources: string[]; pairs: AddressPair[] }> {
  const sources = await listSources(db);
  const writable = new Set(sources.filter(isWritable).map(({ id }) => id));
  const pairs = new Map<string, string>();
  const used = new Set<string>();
  let proposed = 0;
  for await (const rows of ids ? [await findReferences(db, ids)] : eachBroken(db, source ?? null)) {
    const fixes = await proposeFixes(db, config, rows);
    proposed += fixes.size;
    for (const { id, source_id, address, url } of rows) {
      const fix = fixes.get(id);
      if (fix === undefined || !writable.has(String(source_id))) continue;
      pairs.set(url === null ? address : resolveAddress(address, url), fix.address);
      used.add(String(source_id));
    }
    if (pairs.size >= MAX_FIXES) break;
  }
  if (pairs.size === 0) throw nothingToFix(proposed);
  return { sources: [...used], pairs: [...pairs].map(([from, to]) => ({ from, to })) };
}

async function* eachBroken(
  db: Services['db'],
  source: string | null,
): AsyncGenerator<readonly ReferenceRow[]> {
  for (let after = 0; ; ) {
    const rows = await listReferences(db, { state: 'broken', source, after, limit: ROWS_AT_A_TIME });
    const last = rows.at(-1);
    if (last === undefined) return;
    yield rows;
    after = last.id;
  }
}

function nothingToFix(proposed: number): UniferumError {
  return new UniferumError(
    'conflict',
    proposed === 0
      ? 'Nothing is proposed for these references. Replace them by a rewrite.'
      : 'These references are in read-only sources. Set "writable" in their settings to fix them here.',
  );
}

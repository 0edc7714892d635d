import type { Database } from '../shared/database.js';
import { UniferumError } from '../shared/errors.js';
import { beginAudit } from './audit.js';
import { findHomeAuditBegin } from './cursor-queries.js';
import { listStores } from './store-queries.js';

const DAY_MS = 86_400_000;

/** Begins the audits that are due: by listing, and reading a sample. @returns the names of the stores */
export async function auditInTime(
  db: Database,
  home: { name: string; auditDays: number | null },
): Promise<string[]> {
  const stores = [
    { id: 0, ...home, since: await findHomeAuditBegin(db) },
    ...(await listStores(db)).map((store) => ({ ...store, since: store.auditedAt ?? store.createdAt })),
  ];
  const begun: string[] = [];
  for (const { id, name, auditDays, since } of stores) {
    if (auditDays === null || since === null) continue;
    if (Date.now() - since.getTime() < auditDays * DAY_MS) continue;
    try {
      await beginAudit(db, { id, name }, 'sample', 'Uniferum');
      begun.push(name);
    } catch (error) {
      // One is still going on, perhaps because its store can't be reached.
      if (!(error instanceof UniferumError && error.code === 'conflict')) throw error;
    }
  }
  return begun;
}

import type { Right } from '@uniferum/core/access';
import type { Executor } from '../shared/database.js';

/** What changes too often to be anybody's history, and is sent to those who listen right now. */
export interface LiveSource {
  /** The name of the event that is sent. */
  event: string;
  /** The right without which nobody is told. */
  right: Right;
  /** Reads what changed after a moment of the database's clock; null begins now and reads nothing. */
  readSince(db: Executor, since: Date | null): Promise<{ data: unknown[]; until: Date }>;
}

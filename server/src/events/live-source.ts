import type { Right } from '@uniferum/core/access';
import type { Executor } from '../shared/database.js';

/** State that changes too often to be stored as history; it is sent only to current listeners. */
export interface LiveSource {
  /** The name of the event. */
  event: string;
  /** The right required to receive it. */
  right: Right;
  /** Reads what changed since a time on the database clock; null starts now and reads nothing. */
  readSince(db: Executor, since: Date | null): Promise<{ data: unknown[]; until: Date }>;
}

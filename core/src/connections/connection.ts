import type { BucketSettings } from './bucket.js';

/** What an outside system is. */
export const CONNECTION_KINDS = ['bucket'] as const;
export type ConnectionKind = (typeof CONNECTION_KINDS)[number];

/** A connection as it is answered; its secret never is. */
export interface ConnectionAnswer {
  id: string;
  kind: ConnectionKind;
  name: string;
  settings: BucketSettings;
  /** When the secret was set; null without one. */
  secretSetAt: string | null;
  createdAt: string;
  updatedAt: string;
}

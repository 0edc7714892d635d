import type { Right, TokenScope } from '@uniferum/core/access';

/** Who makes a request. */
export interface Principal {
  kind: 'user' | 'key' | 'token' | 'nobody';
  id: string;
  /** `user:1`, `key:7` or `token:3`, as stored in tables. */
  ref: string;
  name: string;
  rights: readonly Right[];
  /** The limits of a token. */
  scope?: TokenScope;
}

/** The principal of public routes. */
export const NOBODY: Principal = { kind: 'nobody', id: '0', ref: 'nobody', name: 'nobody', rights: [] };

/** The principal of the installation's own work. */
export const SYSTEM: Principal = { kind: 'nobody', id: '0', ref: 'system', name: 'Uniferum', rights: [] };

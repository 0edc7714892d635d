import type { Right } from '@uniferum/core/access';

/** Who makes a request. */
export interface Principal {
  kind: 'user' | 'key' | 'nobody';
  id: string;
  /** `user:1` or `key:7`: what tables refer to. */
  ref: string;
  name: string;
  rights: readonly Right[];
}

/** Who stands behind a public route. */
export const NOBODY: Principal = { kind: 'nobody', id: '0', ref: 'nobody', name: 'nobody', rights: [] };

/** Who stands behind work that the installation does by itself. */
export const SYSTEM: Principal = { kind: 'nobody', id: '0', ref: 'system', name: 'Uniferum', rights: [] };

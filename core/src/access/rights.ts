import type { TokenScope } from './token-scope.js';

/** What a key or a signed-in user may do. Each route requires exactly one of these. */
export const RIGHTS = {
  'library:read': 'View folders, assets and rules',
  'library:write': 'Import files, edit texts, rename and move',
  'library:delete': 'Move assets to the bin, delete folders',
  'rules:write': 'Change what a folder accepts',
  'recipes:read': 'View recipes and renditions',
  'recipes:write': 'Create and edit recipes, rebuild renditions',
  'pages:read': 'View page sources and where files are used',
  'pages:write': 'Add and index page sources',
  'connections:read': 'View connections to outside systems',
  'connections:write': 'Create, test and change connections',
  'runs:read': 'View runs',
  'runs:write': 'Stop, resume and retry runs',
  'keys:write': 'Create and revoke API keys',
  'system:read': 'Read metrics of the installation',
} as const;

export type Right = keyof typeof RIGHTS;

/** Every right, in the order shown in the console. */
export const ALL_RIGHTS = Object.keys(RIGHTS) as readonly Right[];

/** Tells whether `granted` includes `needed`. */
export function hasRight(granted: readonly Right[], needed: Right): boolean {
  return granted.includes(needed);
}

/** An API key as listed: its secret is shown only once, when it is created. */
export interface ApiKey {
  id: string;
  name: string;
  /** The first characters of the secret, to tell keys apart. */
  prefix: string;
  rights: Right[];
  /** The origins of web pages that may use it; scripts may always. */
  origins: string[];
  createdAt: string;
  lastUsedAt: string | null;
}

/** The answer of `GET /me`. */
export interface Me {
  kind: 'user' | 'key' | 'token';
  id: string;
  name: string;
  rights: Right[];
  /** Only of a token. */
  scope?: TokenScope & {
    /** How long it is still good, in seconds, whatever the clock of the reader says. */
    expiresIn: number;
  };
}
